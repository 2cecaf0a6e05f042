// What the chain of a bus or of the main does to the punch of every drum in it, and which step
// most.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

// From here on a loss is told: what attack against body loses, dB.
inline constexpr double kPunchLostDb = 1.0;

struct GuardedDrum {
    std::string drum;  // id
    int strokes = 0;
    // Medians over its strokes in the sum, without the bus's own steps and with them: the first
    // 30 ms against the rest of 300 ms, and the peak against those 300 ms.
    double before = 0.0, after = 0.0;            // dB
    double crestBefore = 0.0, crestAfter = 0.0;  // dB
    std::string stage = {};  // of the bus, whose absence gives back most; empty: none is lost
    double givesBack = 0.0;  // dB
};
struct PunchGuard {
    std::string bus;
    int steps = 0;                   // of its chain that are on, but its seat
    std::vector<GuardedDrum> drums;  // most lost first
};

// Over [from, to) seconds of song time, `to` < 0: half a minute. Strokes are those of the session;
// drums that were struck fewer than three times there are left out. Any thread; throws Error for
// rows that are no bus, where no drum is struck, and Cancelled.
PunchGuard punchGuard(const Session& session, AudioStore& store, const std::string& bus,
                      double from, double to, const Progress& progress = {});
// A sentence each. Pure.
std::vector<std::string> punchGuardText(const Session& session, const PunchGuard& found);

}  // namespace ember
