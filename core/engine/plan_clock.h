// The time by which a plan beside the session's runs: the song's own, moved, or round a loop of its
// own that the song's bars are laid over.
#pragma once

#include "core/engine/row_source.h"

namespace ember {

// Frames on the block grid. Without `loopTo` there is no loop of its own.
struct PlanTime {
    Frames offset = 0;  // added to the song's time
    Frames loopFrom = 0, loopTo = 0;
};

class PlanClock {
  public:
    PlanClock() = default;
    explicit PlanClock(const PlanTime& time) : time_(time) {}

    // Where the plan is in the block in which the song is there; blocks in their order. A loop's
    // wrap and the song's own jumps are jumps of this one. Real-time safe.
    BlockPlay of(const BlockPlay& song);

  private:
    [[nodiscard]] bool loops() const { return time_.loopTo > time_.loopFrom; }
    [[nodiscard]] bool isSong() const { return time_.offset == 0 && !loops(); }
    [[nodiscard]] Frames place(Frames song) const;

    PlanTime time_;
    Frames next_ = -1;  // where it goes on if nothing jumps; negative: it has not begun
};

}  // namespace ember
