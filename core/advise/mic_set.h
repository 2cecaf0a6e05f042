// A mix with fewer microphones, to be compared with the whole one: what a smaller set would give,
// and what each part adds to those before it.
#pragma once

#include "core/measure/kit/kit_measure.h"
#include "core/session/session.h"

#include <string>
#include <string_view>
#include <vector>

namespace ember {

struct MicSet {
    std::string id;    // "four", "no-rooms", "close", "whole", "up-to-toms" (a bus)
    std::string name;  // "Kick, snare and overheads"
};

// The sets of a session, those that add one part after another last, in the Board's order. Sets
// that would leave nothing out, or nothing in, are not among them. Pure.
std::vector<MicSet> micSets(const Session& session);

// The session with everything muted that is not in the set; nothing is soloed. With `measured` the
// rows of the set are planned anew: their chains as they come, with every proposal that is made for
// them alone, in the session's ways of working; what their bleed is turned to stays. Throws Error
// for unknown ids. Pure.
Session withMicSet(const Session& session, std::string_view id,
                   const KitMeasurement* measured = nullptr);

}  // namespace ember
