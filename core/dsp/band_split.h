// A band of a signal: apart from the rest, or turned up and down in its place.
//
// Both are built from trapezoidal state-variable filters of second order (Zavalishin, "The Art of
// VA Filter Design", 2nd ed. 2018, ch. 4), which stay calm while their corners move; corners glide.
// An end at its limit is left out. One channel; real-time safe.
#pragma once

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {

struct BandEdges {
    static constexpr double kLowest = 20.0, kHighest = 20000.0;  // Hz: "off"
};

// One filter whose corner glides, with all three outputs; they always add up: high + sqrt(2) band +
// low is the input.
class GlidingFilter {
  public:
    struct Outputs {
        double low, band, high;
    };
    // `used` false fades it out. The first call counts at once.
    void set(double hertz, double rate, bool used) {
        aim_ = std::tan(std::numbers::pi * std::min(hertz, 0.49 * rate) / rate);
        useAim_ = used ? 1.0 : 0.0;
        step_ = 1.0 - std::exp(-1000.0 / (15.0 * rate));
        if (fresh_) {
            g_ = aim_;
            use_ = useAim_;
            fresh_ = false;
            normalise();
        }
        moving_ = g_ != aim_ || use_ != useAim_;
    }
    void reset() { first_ = second_ = 0.0; }
    [[nodiscard]] bool off() const { return !moving_ && use_ == 0.0; }
    // 0 (left out) to 1; between while it fades.
    [[nodiscard]] double use() const { return use_; }
    Outputs next(double x) {
        if (moving_) glide();
        const double high = (x - (kDamping + g_) * first_ - second_) * norm_,
                     band = g_ * high + first_, low = g_ * band + second_;
        first_ = g_ * high + band;
        second_ = g_ * band + low;
        return {low, band, high};
    }

  private:
    static constexpr double kDamping = std::numbers::sqrt2;

    void normalise() { norm_ = 1.0 / (1.0 + g_ * (kDamping + g_)); }
    void glide() {
        // Along the pitch, not the frequency: a sweep sounds even.
        g_ *= std::pow(aim_ / g_, step_);
        use_ += step_ * (useAim_ - use_);
        if (std::abs(g_ / aim_ - 1.0) < 1e-6 && std::abs(use_ - useAim_) < 1e-6) {
            g_ = aim_;
            use_ = useAim_;
            moving_ = false;
        }
        normalise();
    }
    double g_ = 0.1, aim_ = 0.1, use_ = 0.0, useAim_ = 0.0, step_ = 1.0;
    double norm_ = 1.0;  // a division a sample would be most of the work
    double first_ = 0.0, second_ = 0.0;
    bool moving_ = false, fresh_ = true;
};

// What lies in the band, by Butterworth high- and low-pass; the rest is the signal less this.
class BandSplit : public BandEdges {
  public:
    void set(double from, double to, double rate) {
        high_.set(std::max(from, kLowest), rate, from > kLowest);
        low_.set(to, rate, to < kHighest);
    }
    void reset() {
        high_.reset();
        low_.reset();
    }
    [[nodiscard]] bool whole() const { return high_.off() && low_.off(); }
    double next(double x) {
        if (!high_.off()) x += high_.use() * (high_.next(x).high - x);
        if (!low_.off()) x += low_.use() * (low_.next(x).low - x);
        return x;
    }

  private:
    GlidingFilter high_, low_;
};

// Turns the band by a gain that may change with every sample: a high shelf at the lower end and its
// opposite at the upper. |H|^2 = (1 + g^2 W^4) / (1 + W^4) for a shelf of gain g, W the frequency
// against the corner: monotonic, and exactly one for g = 1.
class BandGain : public BandEdges {
  public:
    void set(double from, double to, double rate) {
        lower_.set(std::max(from, kLowest), rate, from > kLowest);
        upper_.set(to, rate, to < kHighest);
    }
    void reset() {
        lower_.reset();
        upper_.reset();
    }
    // gain > 0, linear.
    double next(double x, double gain) {
        const double used = lower_.use();
        double y = gain * x;
        if (!lower_.off()) {
            const double shelved = shelf(lower_, x, gain);
            y += used * (shelved - y);
        }
        if (!upper_.off()) {
            const double beyond = upper_.use();
            const double shelved = shelf(upper_, y, 1.0 / gain);
            y += beyond * (shelved - y);
        }
        return y;
    }

  private:
    static double shelf(GlidingFilter& filter, double x, double gain) {
        const auto [low, band, high] = filter.next(x);
        return gain == 1.0 ? x : low + std::sqrt(2.0 * gain) * band + gain * high;
    }
    GlidingFilter lower_, upper_;
};

}  // namespace ember
