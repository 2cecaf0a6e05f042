// The shortest chain: which steps could go without anybody hearing it, by figures.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

// A difference this far under the mix is taken for one that nobody hears, dB.
inline constexpr double kUnheardDb = -60.0;

// What a step is worth: how far the row, and the mix through it, differ without it once both are
// equally loud (RMS of the difference against the signal, dB; -150 at least).
struct StepWorth {
    std::string row, stage;
    double rowDb = 0.0, mixDb = 0.0;
    [[nodiscard]] bool couldGo() const { return mixDb < kUnheardDb; }
};

// Every step that is on, in the Board's order, but align, bleed and seat, over [from, to) seconds
// (kLongestCompared at most). Each is taken away alone: several that could go may be heard
// together. Any thread; throws Error or Cancelled.
std::vector<StepWorth> stepWorths(const Session& session, AudioStore& store, double from, double to,
                                  const Progress& progress = {});

// "Hat, EQ could go: without it the mix differs by −71 dB."
std::string worthText(const Session& session, const StepWorth& worth);

}  // namespace ember
