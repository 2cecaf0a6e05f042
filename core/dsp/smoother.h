// Glides a control value to its target without a kink at the start: two one-pole
// low-passes in series, whose step response begins with zero slope.
#pragma once

#include <cmath>

namespace ember {

class Smoother {
  public:
    // timeMs is the time constant of each pole.
    void prepare(double sampleRate, double timeMs = 8.0) {
        step_ = 1.0 - std::exp(-1000.0 / (timeMs * sampleRate));
    }
    void jump(double value) {
        first_ = second_ = target_ = value;
        moving_ = false;
    }
    void aim(double value) {
        target_ = value;
        moving_ = moving_ || value != second_;
    }
    [[nodiscard]] bool moving() const { return moving_; }
    [[nodiscard]] double value() const { return second_; }
    [[nodiscard]] double target() const { return target_; }
    double next() {
        if (!moving_) return second_;
        first_ += step_ * (target_ - first_);
        second_ += step_ * (first_ - second_);
        const double near = 1e-7 * (1.0 + std::abs(target_));
        if (std::abs(first_ - target_) < near && std::abs(second_ - target_) < near) jump(target_);
        return second_;
    }

  private:
    double first_ = 0.0, second_ = 0.0, target_ = 0.0, step_ = 1.0;
    bool moving_ = false;
};

}  // namespace ember
