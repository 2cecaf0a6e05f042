// How far the loudness of every sum moves, how much of what was played that is, and whether it is
// what is wanted of it.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/report/usual_sums.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

struct SumRange {
    std::string row;  // a bus or the main
    SumKind kind = SumKind::drums;
    bool sounds = false;  // false: it is silent, and nothing is said
    // LU (EBU Tech 3342): as it was played, every step passed by; with the steps of what feeds it;
    // with its own.
    double played = 0.0, fed = 0.0, kept = 0.0;
};

// Buses and the main in the Board's order, over [from, to) seconds of song time, kLongestCompared
// (report/mix_figures.h) at most; `to` < 0: that long. Align, bleed and seats are never passed by.
// Any thread; throws Error for less than ten seconds, of which a range says nothing, and Cancelled.
std::vector<SumRange> rangeReport(const Session& session, AudioStore& store, double from, double to,
                                  const Progress& progress = {});

enum class RangeVerdict { silent, within, tooFar, tooEven };
// Against what is wanted of it, or else against what is usual. Pure.
RangeVerdict rangeVerdict(const Session& session, const SumRange& sum);
// What is outside of its budget or of what is usual, and where that happens; a sentence each. Pure.
std::vector<std::string> rangeText(const Session& session, const std::vector<SumRange>& sums);

}  // namespace ember
