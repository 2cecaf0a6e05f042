// A cascade of biquads in direct form I, double precision.
//
// Direct form I keeps signals, not products of signals and coefficients, as its
// state, so a cascade can be started from another one's state without a jump.
// Up to eight sections run as lanes of one vector, each lane one sample behind the
// one before it: the recursion's latency is then shared by all sections. Plain
// scalar code gives the same samples, because nothing is contracted or reordered.
#pragma once

#include "core/dsp/biquad_design.h"

#include <array>
#include <span>
#include <vector>

namespace ember {

class Cascade {
  public:
    static constexpr int kLanes = 8;
    static constexpr int kMaxSections = 64;

    // Real-time safe. Sections beyond kMaxSections are dropped.
    void setSections(std::span<const Biquad> sections);
    [[nodiscard]] int size() const { return size_; }
    void reset();
    // In place, at most kBlock samples.
    void process(float* samples, int frames);

    // Past inputs and outputs of one section: x[n-1], x[n-2], y[n-1], y[n-2].
    struct History {
        double x1 = 0.0, x2 = 0.0, y1 = 0.0, y2 = 0.0;
    };
    [[nodiscard]] History history(int section) const;
    void setHistory(int section, const History& history);

  private:
    struct alignas(64) Group {
        double b0[kLanes], b1[kLanes], b2[kLanes], a1[kLanes], a2[kLanes];
        double x1[kLanes], x2[kLanes], y1[kLanes], y2[kLanes];
    };
    static void run(Group& group, double* samples, int frames);

    std::array<Group, kMaxSections / kLanes> groups_{};
    int size_ = 0;
};

}  // namespace ember
