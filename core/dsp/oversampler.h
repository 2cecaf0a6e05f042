// Whole-number oversampling by 8 for curves that make harmonics.
//
// Three half-band stages, linear phase, Kaiser window (Kaiser, "Nonrecursive digital filter design
// using the I0-sinh window", ISCAS 1974); polyphase, so that only the taps that are not zero are
// computed (Vaidyanathan, "Multirate Systems and Filter Banks", 1993, ch. 4). Flat within 1e-6 to
// 0.45 of the rate, stop bands 130 dB down. The delay up and down again is a whole number of
// frames.
#pragma once

#include "core/dsp/processor.h"

#include <array>
#include <span>
#include <vector>

namespace ember {

// One channel, one octave.
class HalfBand {
  public:
    // Transition from `passes` to 0.5 - passes, in parts of the higher rate.
    explicit HalfBand(double passes);
    void reset();
    // `in` holds n samples, `out` 2 n; n <= kMost.
    void up(const float* in, int n, float* out);
    // `in` holds 2 n samples, `out` n.
    void down(const float* in, int n, float* out);
    // Delay of each direction, in samples of the higher rate.
    [[nodiscard]] int delay() const { return 2 * half_ + 1; }

    static constexpr int kMost = 4 * kBlock;

  private:
    int half_ = 0;               // m of a filter with 4 m + 3 taps
    std::vector<float> taps_;    // the 2 m + 2 that are neither zero nor the middle
    std::vector<float> upLine_;  // history, then the block
    std::vector<float> evenLine_, oddLine_;
};

// Real-time safe once made.
class Oversampler {
  public:
    static constexpr int kFactor = 8;

    explicit Oversampler(int channels);
    void reset();
    // Delay of up() and down() together, in frames of the lower rate.
    [[nodiscard]] int latency() const { return latency_; }
    // The block at eight times its rate; valid until the next call. down() brings what became of it
    // back into `io`.
    std::span<float> up(int channel, const float* in, int frames);
    void down(int channel, float* out, int frames);

  private:
    struct Channel {
        Channel();
        std::array<HalfBand, 3> stage;
        std::vector<float> pad;  // makes the delay a whole number of frames
        std::vector<float> twice, fourTimes, eightTimes;
    };
    std::vector<Channel> channel_;
    int latency_ = 0;
};

}  // namespace ember
