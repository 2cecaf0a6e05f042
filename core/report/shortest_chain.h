// The shortest chain: which steps could go without anybody hearing it, each alone and all of them,
// by figures; who wants to know by ear hears the mix without them blind.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

// A difference this far under the mix is taken for one that nobody hears, dB.
inline constexpr double kUnheardDb = -60.0;

struct StepAt {
    std::string row, stage;
};

// What a step is worth: how far the row, and the mix through it, differ without it (RMS of the
// difference against the louder of both, and against the mix, dB; -150 at least). Where all that is
// heard goes through the row both are equally loud; elsewhere its level counts too, for the mix
// hears it beside others.
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

// Those of them that could go together: the ones that differ least go first, and one after another
// goes as long as the mix without all of them differs by less than kUnheardDb at equal loudness.
struct ShortestChain {
    std::vector<StepWorth> go;
    double mixDb = -150.0;  // how far the mix without all of them differs, dB
    [[nodiscard]] std::vector<StepAt> steps() const;
};
// Over the stretch that they were weighed over. Any thread; throws Error or Cancelled.
ShortestChain shortestChain(const Session& session, AudioStore& store,
                            const std::vector<StepWorth>& worths, double from, double to,
                            const Progress& progress = {});
// The session with steps off. Throws Error where one is gone. Pure.
Session withStepsOff(Session session, const std::vector<StepAt>& steps);

// "Hat, EQ could go: without it the mix differs by −71 dB."
std::string worthText(const Session& session, const StepWorth& worth);
// "2 steps could go together: the mix differs by −63 dB without Hat, EQ; Ride, EQ."
std::string shortestText(const Session& session, const ShortestChain& shortest);

}  // namespace ember
