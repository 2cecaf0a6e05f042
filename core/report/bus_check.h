// A bus looked through: who of its members is heard, how wide and how even they are, and what
// sticks out of their sum.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/measure/level/masking.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

struct BusMember {
    std::string row;
    Audibility heard;      // among all else that feeds the bus
    std::string maskedBy;  // row that is loudest where it is hidden most often; empty: nowhere
    double maskedHz = 0.0;
    double sideDb = -150.0;  // side against mid; -150: it is mono
    double rangeDb = 0.0;    // its loudest frames against its usual ones
};

// A third octave of the sum that stands out over an octave and a half around it.
struct StickingOut {
    double hertz = 0.0, db = 0.0;
    std::string row;  // member that gives most of it
};

struct BusCheck {
    std::string bus;
    std::vector<BusMember> members;         // in the session's order
    std::vector<StickingOut> sticking;      // worst first, three at most
    double sideDb = -150.0, rangeDb = 0.0;  // of the sum
};
inline constexpr double kSticksOutDb = 5.0;

// What feeds the bus (or the main), each at its fader, over [from, to) seconds of song time; `to` <
// 0: a minute at most. Muted and unheard members are left out. Any thread; throws Error for rows
// that nothing or only one row feeds, and Cancelled.
BusCheck checkBus(const Session& session, AudioStore& store, const std::string& bus, double from,
                  double to, const Progress& progress = {});
// What is to be said of it: whether the fault is the bus or a member, with the remedy; a sentence
// each.
std::vector<std::string> busCheckText(const Session& session, const BusCheck& check);

}  // namespace ember
