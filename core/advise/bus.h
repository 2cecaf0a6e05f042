// Advice on buses: where rows go, what presses them together, what stands beside the mix, and what
// belongs in the middle. It comes last: it is read from the mix as it plays.
#pragma once

#include "core/advise/bus_heard.h"
#include "core/advise/proposal.h"

#include <string>
#include <vector>

namespace ember {

// The bus in which the drums come together: of those that feed the main the one most elements are
// heard in; empty where there is none.
std::string drumBus(const Session& session);

// Everything that is proposed for the buses of a mix as it was heard. Each proposal is foretold on
// what those before it leave, as if they were accepted in their order; declined ones are left out
// (and count as not accepted), as is what rests on rows nobody is sure of. Pure.
std::vector<Proposal> adviseBus(const Session& session, const BusHeard& heard,
                                const KitMeasurement& measured, BusSchool school);

// Fills `measured` of a bus proposal's effects from the mix as the accepted session plays it.
void measureBusEffects(Proposal& proposal, const Session& accepted, const BusHeard& heard);

}  // namespace ember
