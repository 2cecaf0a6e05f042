// A sum of drums as a whole: its highs against its lows, how much room it leaves at the bottom and
// in the middle for what plays beside it, and which drum or guest makes what is off.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/report/usual_sums.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

// Between which lows and highs lie, Hz.
inline constexpr double kWholeLows[2] = {40.0, 120.0}, kWholeHighs[2] = {5000.0, 12000.0};

// A part of the picture that others need: bands of the ear in what both sides have in common.
struct RoomLeft {
    std::string name;              // "the bottom", "the bass", "the middle"
    double low = 0.0, high = 0.0;  // Hz
    // 0..1, of the time: in which the drums leave it, and how much of it they usually do at least.
    double left = 1.0, usual = 0.0;
    std::string row;        // whose sound takes most of it; empty: nobody's
    double rowShare = 0.0;  // 0..1, of the time in which it is taken: how often that one is loudest
};

// A guest among the drums.
struct GuestHeard {
    std::string row;
    double heard = 1.0;  // 0..1, of the time it sounds (measure/level/masking.h)
    std::string behind;  // row that is loudest where it is hidden most often; empty: nowhere
    double hertz = 0.0;
};

struct BusWhole {
    std::string bus;
    double highsDb = 0.0;  // kWholeHighs against kWholeLows, by power
    UsualSpan usual;
    std::string highsRow, lowsRow;             // that give most of either
    double highsShare = 0.0, lowsShare = 0.0;  // 0..1, of the power of all rows there
    std::vector<RoomLeft> room;                // bottom, bass, middle
    std::vector<GuestHeard> guests;            // of the whole session, in its order
};
// A band counts as taken while it holds more than this, against the strokes of the sum.
inline constexpr double kTakenDb = -30.0;

// What feeds the bus (or the main), each at its fader, over [from, to) seconds of song time, a
// minute at most; `to` < 0: that long. Guests are no part of it and are held beside it. Any thread;
// throws Error for a sum that no drum feeds, and Cancelled.
BusWhole busWhole(const Session& session, AudioStore& store, const std::string& bus, double from,
                  double to, const Progress& progress = {});
// What is to be said of it, a sentence each. Pure.
std::vector<std::string> busWholeText(const Session& session, const BusWhole& whole);

}  // namespace ember
