// A gate's attack and look-ahead tried at several values: what each does to the front of a stroke,
// and where the opening itself is heard as a click. Both are sometimes wanted; nothing is judged.
#pragma once

#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

class AudioStore;

struct GateTrial {
    double attackMs = 0.0, lookAheadMs = 0.0;
    double frontDb = 0.0;  // what is left of the first 5 ms, dB (0: all of it)
    double clickDb = 0.0;  // what the opening adds above 6 kHz in the 10 ms around the stroke, dB
                           // against the stroke's own; -60 at least
    // From -12 dB on the opening is heard beside the stroke.
    [[nodiscard]] bool clicks() const { return clickDb > -12.0; }
};

// One usual stroke of the row (usualStroke() in stroke_view.h) at `time`, through its gate with
// these attacks and look-aheads, all in turn; a gate opened by strokes opens early instead of
// looking ahead. Renders half a second of one row for each. Any thread; throws Error.
std::vector<GateTrial> tryGate(const Session& session, AudioStore& store, const std::string& row,
                               const std::string& stage, double time,
                               const std::vector<double>& attacks,
                               const std::vector<double>& lookAheads);

}  // namespace ember
