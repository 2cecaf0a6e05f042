// Advice on bleed: what may be turned down in which microphone before anything lifts it, and what
// that costs. It is read from a kit that was taken apart, so it comes when it is asked for.
#pragma once

#include "core/advise/bleed_heard.h"
#include "core/advise/proposal.h"

#include <vector>

namespace ember {

// Proposals of the step "bleed", overheads first, each foretold on what those before it leave.
// Natural: half of what stands in a close microphone's way; clean: everything but its own drum in
// the close microphones, and the kick in the overheads. Less is proposed where a drum would miss it
// in the sum of all microphones or where nothing covers what is left; none where a drum was struck
// too seldom to be told apart. Declined ones are left out, and so is what somebody turned already
// or what rests on rows nobody is sure of. `heard` as recorded. Pure.
std::vector<Proposal> adviseBleed(const Session& session, const BleedHeard& heard,
                                  const KitMeasurement& measured, BleedSchool school);

// Fills `measured` of a bleed proposal's effects; what it changes for the kit is told against the
// accepted session with this microphone as recorded. `heard`: the accepted session's, as turned.
// Pure.
void measureBleedEffects(Proposal& proposal, const Session& accepted, const BleedHeard& heard);

}  // namespace ember
