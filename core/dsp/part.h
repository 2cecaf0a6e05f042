// Part: one part of a sound of which the other parts go elsewhere, so that each can have a chain of
// its own. Left and right, the middle and the sides, two halves, or bands: all parts of one kind
// add up to the sound itself, as late as they are.
//
// Bands are told apart by a low-pass of fourth order (two Butterworth sections) and what the sound,
// as late as the low-pass is at 0 Hz, has beyond it (Lipshitz & Vanderkooy, "A family of
// linear-phase crossover networks of high slope derived by time delay", JAES 31(1/2), 1983):
// 24 dB an octave above the corner, 18 below it, both 6 dB down where they meet, and the upper part
// nowhere more than 0.2 dB over the sound. Late by 0.45 periods of each corner that the part needs;
// corners lie as near to what is asked for as whole samples allow.
#pragma once

#include "core/dsp/processor.h"

#include <array>
#include <vector>

namespace ember {

class Part : public ValueProcessor<Part> {
  public:
    enum Index { keep, lower, upper };
    enum Keep { whole, half, left, right, middle, sides, lows, rest, mids, highs };

    Part(const ProcessSpec& spec, std::span<const double> values);
    [[nodiscard]] int latency() const override;
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;

    // The corner that is meant by one, Hz.
    static double nearestCorner(double hertz, double rate);
    // How loud the part has a frequency, 0 to about 1.
    static double gainAt(std::span<const double> values, double hertz, double rate);

  private:
    // One corner, of one channel.
    class Corner {
      public:
        void prepare(double hertz, double rate);
        void reset();
        [[nodiscard]] int delay() const { return static_cast<int>(line_.size()); }
        struct Sides {
            double below, above;
        };
        Sides next(double x);

      private:
        std::array<double, 3> b_{};
        std::array<double, 2> a_{};
        std::array<std::array<double, 2>, 2> state_{};
        std::vector<double> line_;
        std::size_t at_ = 0;
    };
    [[nodiscard]] bool usesLower() const { return keep_ >= lows; }
    [[nodiscard]] bool usesUpper() const { return keep_ == mids || keep_ == highs; }

    std::vector<double> values_;
    Keep keep_ = whole;
    std::array<Corner, 2> lower_, upper_;
};

ProcessorType partType();

}  // namespace ember
