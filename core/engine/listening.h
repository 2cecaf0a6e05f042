// What is heard of a plan: one of its rows, at a gain, and so late that plans of unequal latency
// are heard at the same place of the song.
#pragma once

#include "core/engine/plan.h"

#include <array>
#include <vector>

namespace ember {

// Real-time safe, but for its making.
class Listening {
  public:
    static constexpr int kMostLate = 1 << 15;  // frames

    Listening();
    // From the next block on. Row -1: the plan's main. Plan null: silence. What is late is silent
    // until `delay` frames have been read.
    void aim(const Plan* plan, int row, float gain, int delay);
    // The block that the plan has run last.
    void read(float* left, float* right);

    [[nodiscard]] const Plan* plan() const { return plan_; }
    [[nodiscard]] int row() const { return row_; }
    [[nodiscard]] bool is(const Plan* plan, int row, float gain, int delay) const {
        return plan_ == plan && row_ == row && gain_ == gain && delay_ == delay;
    }
    [[nodiscard]] float gain() const { return gain_; }

  private:
    const Plan* plan_ = nullptr;
    int row_ = -1, delay_ = 0;
    float gain_ = 1.0F;
    std::array<std::vector<float>, 2> ring_;
    std::size_t at_ = 0;
};

}  // namespace ember
