// Moves that wait for their place in the song. Belongs to the audio thread; real-time safe.
#pragma once

#include "core/engine/plan.h"

#include <array>
#include <cstdint>

namespace ember {

class LaterMoves {
  public:
    static constexpr int kMost = 32;
    struct Later {
        PlanMove move;
        std::uint32_t plan = 0;  // number of the plan that is moved
        Frames wait = 0;         // from the next block on
    };

    // False where no more can wait: then it is due.
    bool add(const Later& later) {
        if (count_ == kMost) return false;
        waiting_[static_cast<std::size_t>(count_++)] = later;
        return true;
    }
    // What the same thing was to be moved to: it is moved elsewhere now.
    void forget(const PlanMove& move, std::uint32_t plan) {
        take([&](const Later& l) {
            return l.plan == plan && l.move.kind == move.kind && l.move.row == move.row &&
                   l.move.stage == move.stage && l.move.parameter == move.parameter;
        });
    }
    // Nothing waits any longer.
    void hurry() {
        for (Later& l : waiting_) l.wait = 0;
    }
    // Before every block: calls move(later) for what falls into it, in the order it came.
    template <typename Do>
    void block(const Do& move) {
        take([&](Later& l) {
            const bool due = l.wait < kBlock;
            l.wait -= kBlock;
            if (due) move(l);
            return due;
        });
    }

  private:
    template <typename Wanted>
    void take(const Wanted& wanted) {
        int left = 0;
        for (int i = 0; i < count_; ++i) {
            Later& later = waiting_[static_cast<std::size_t>(i)];
            if (!wanted(later)) waiting_[static_cast<std::size_t>(left++)] = later;
        }
        count_ = left;
    }

    std::array<Later, kMost> waiting_;
    int count_ = 0;
};

}  // namespace ember
