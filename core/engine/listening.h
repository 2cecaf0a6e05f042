// What is heard of plans: a row of one at a gain, alone or less what a row of another gives, each
// so late that plans of unequal latency are heard at the same place of the song.
#pragma once

#include "core/engine/plan.h"

#include <array>
#include <vector>

namespace ember {

// A row of a plan as it is heard. Row -1: the plan's main. Plan null: silence.
struct HeardRow {
    const Plan* plan = nullptr;
    int row = -1;
    float gain = 1.0F;
    int delay = 0;  // frames
    bool operator==(const HeardRow&) const = default;
};

// What is heard, and what is taken away from it.
struct Heard {
    HeardRow row, less;
    bool operator==(const Heard&) const = default;
    [[nodiscard]] bool hears(const Plan* plan) const {
        return plan != nullptr && (row.plan == plan || less.plan == plan);
    }
};

// Real-time safe, but for its making.
class Listening {
  public:
    static constexpr int kMostLate = 1 << 15;  // frames

    Listening();
    // From the next block on. What is late is silent until its delay has been read.
    void aim(const Heard& what);
    // The block that the plans have run last.
    void read(float* left, float* right);
    [[nodiscard]] const Heard& what() const { return what_; }

  private:
    // One row on its way, held back by its delay.
    struct Way {
        std::array<std::vector<float>, 2> ring;
        std::size_t at = 0;

        void begin(const HeardRow& from);
        // Adds the block at `gain` times the row's own.
        void add(const HeardRow& from, float gain, float* const (&out)[2]);
    };

    Heard what_;
    Way way_, lessWay_;
};

}  // namespace ember
