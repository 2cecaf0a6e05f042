// How a mix sounds, in figures: every row as it is played, and two mixes beside each other.
#pragma once

#include "core/audio/buffer.h"
#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/engine/render.h"
#include "core/measure/level/levels.h"
#include "core/report/punch.h"
#include "core/session/session.h"

#include <optional>
#include <string>
#include <vector>

namespace ember {

// What is compared of a song, at most: everything of it is held in memory.
inline constexpr double kLongestCompared = 60.0;  // seconds
// What is listened to over [from, to) seconds of song time, at most so long; `to` < 0: that long.
// With its guests, as it is heard.
RenderOptions heardOver(double from, double to);

struct RowFigures {
    SignalLevels levels;  // with third octaves of both sides together; the true peak of main alone
    Punch punch;
    double leftDb = 0.0;  // left against right, by power; 0 where it is silent
    bool operator==(const RowFigures&) const = default;
};

// Every row that is part of the mix, in the Board's order, over [from, to) seconds of song time, at
// most kLongestCompared; `to` < 0: to the end. `strokes` as heard. Any thread; throws Error or
// Cancelled.
std::vector<RowFigures> mixFigures(const Session& session, AudioStore& store,
                                   const std::vector<Stroke>& strokes, double from, double to,
                                   const Progress& progress = {});

// Those of a row; null when there are none.
const RowFigures* figuresOf(const std::vector<RowFigures>& list, const std::string& row);
// RMS of a less b at a gain, against that of a, dB; -150 at least, also where a is silent. Two
// channels each; what one has longer is left out. Pure.
double differenceDb(const AudioBuffer& a, const AudioBuffer& b, double gainDb);

struct ComparedRow {
    std::string row, name;
    std::optional<RowFigures> a, b;  // none where that mix has no such row
};

struct MixComparison {
    double from = 0.0, to = 0.0;        // seconds of song time that were compared
    std::vector<ComparedRow> rows;      // in the order of b, then what a alone has; main last
    std::vector<std::string> settings;  // what makes b out of a, a sentence each
    double gainDb = 0.0;                // that makes b as loud as a at the main
    // RMS of a less b at that gain, against that of a, dB: under -60 nobody hears it.
    double differenceDb = -150.0;
};

// Two mixes of one song, as they are heard: with their guests. Any thread; throws Error or
// Cancelled.
MixComparison compareMixes(const Session& a, const Session& b, AudioStore& store,
                           const std::vector<Stroke>& strokes, double from, double to,
                           const Progress& progress = {});

}  // namespace ember
