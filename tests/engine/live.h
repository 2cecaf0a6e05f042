// A live engine that tests hold in their hands.
#pragma once

#include "core/engine/engine.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace ember::test {

constexpr double kLiveRate = 48000.0;

inline std::size_t frameAt(double seconds) {
    return static_cast<std::size_t>(std::llround(seconds * kLiveRate));
}

// The largest difference of a sample; all of it where the lengths differ.
inline double largestDifference(const std::vector<float>& a, const std::vector<float>& b) {
    if (a.size() != b.size()) return 1e9;
    double most = 0.0;
    for (std::size_t i = 0; i < a.size(); ++i)
        most = std::max(most, std::abs(static_cast<double>(a[i]) - static_cast<double>(b[i])));
    return most;
}

// An engine that plays a session at unity, and what comes out on the left, latency taken away.
struct Live {
    Engine engine;
    int late = 0;
    std::size_t taken = 0;  // frames since the engine began

    explicit Live(const Session& session) {
        auto plan = compile(session, sharedStore());
        late = plan->latency();
        engine.setPlan(std::move(plan), kLiveRate);
        engine.setMonitorDb(0.0);
        take(48000);
    }
    std::vector<float> take(std::size_t frames) {
        std::vector<float> left(frames), right(frames);
        taken += frames;
        for (std::size_t at = 0; at < frames; at += 240) {
            engine.process(left.data() + at, right.data() + at,
                           static_cast<int>(std::min<std::size_t>(240, frames - at)));
        }
        return left;
    }
    // Starts at a block's beginning, and leaves out what is heard before the place comes out.
    std::vector<float> playFrom(double seconds, std::size_t frames) {
        take((kBlock - taken % kBlock) % kBlock);
        engine.seek(static_cast<Frames>(frameAt(seconds)));
        engine.play();
        take(static_cast<std::size_t>(late));
        return take(frames);
    }
};

}  // namespace ember::test
