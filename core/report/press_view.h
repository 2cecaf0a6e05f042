// What a compressor would do over a stretch of song with a faster and with a slower setting.
#pragma once

#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

class AudioStore;

// Gain in dB by block of kBlock frames from `from` on. Fast: a quarter of attack and release; slow:
// four times both, within their ranges.
struct PressView {
    double from = 0.0;  // seconds of song time
    double secondsPerBlock = 0.0;
    std::vector<float> fast, slow;
};

// The row alone, its chain up to the compressor as it is set, over [from, to) seconds; one second
// before that is heard too. A compressor that another row keys hears that row. Any thread; throws
// Error.
PressView viewPress(const Session& session, AudioStore& store, const std::string& row,
                    const std::string& stage, double from, double to);

}  // namespace ember
