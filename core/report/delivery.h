// What is looked at before a mix leaves the house.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

// fine: nothing to do. attention: somebody should know. problem: what leaves would be wrong.
struct DeliveryCheck {
    enum class State { fine, attention, problem };
    State state = State::fine;
    std::string what;      // "Headroom"
    std::string sentence;  // what was found, and what to do
    std::string row;       // where; empty: the whole mix
    bool operator==(const DeliveryCheck&) const = default;
};
std::string_view toString(DeliveryCheck::State state);

// Highest true peak that passes without a word, dBTP (EBU R 128), and largest loss in mono, dB.
inline constexpr double kDeliveredPeak = -1.0, kDeliveredMonoLoss = 1.5;

// Recordings, solos and mutes, prints that are old, what nobody decided, who is who, headroom, true
// peak, loudness, mono, levels inside the chains, phase, the tail, and of the loudest half minute
// what breaks first when it is pushed and what falls behind elsewhere: in that order, each found
// fine or not. Renders the mix.
// Any thread; throws Error or Cancelled.
std::vector<DeliveryCheck> checkDelivery(const Session& session, AudioStore& store,
                                         const Progress& progress = {});

}  // namespace ember
