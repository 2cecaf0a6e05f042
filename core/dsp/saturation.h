// Saturation: bends the wave, by one of several curves, of the whole signal or of one band.
//
// The curve runs at eight times the rate (oversampler.h), so that what it folds back stays more
// than 90 dB under a strong sine. A bias moves the curve off its middle, which adds even harmonics;
// the direct voltage this makes is taken out again. Tape: treble is raised before the curve and
// lowered by the same after it, so that it bends first, and the head bump lifts the low end around
// 80 Hz. The band outside is passed by and added again, exactly. Latency: that of the oversampling.
#pragma once

#include "core/dsp/band_split.h"
#include "core/dsp/delay_line.h"
#include "core/dsp/loudness_match.h"
#include "core/dsp/oversampler.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

namespace ember {

enum class SaturationCurve { warm, round, tape, firm };
// Output of a curve for an input; slope 1 at zero, limits of +-1 (round: +-1, slowly).
double saturate(SaturationCurve curve, double x);

class Saturation : public ValueProcessor<Saturation> {
  public:
    enum Index { drive, curve, even, from, to, tone, bump, matchLevel, output, mix };

    Saturation(const ProcessSpec& spec, std::span<const double> values);
    [[nodiscard]] int latency() const override { return oversampler_.latency(); }
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    void replay(const AudioBlock& io, const Processor& master) override;
    [[nodiscard]] bool replaysExactly() const override { return false; }

  private:
    // First-order shelf and its exact inverse, for the treble of tape.
    struct Emphasis {
        double x1 = 0.0, y1 = 0.0;
    };
    struct Channel {
        BandSplit split;
        Emphasis before, after;
        double direct = 0.0;   // direct voltage
        double tiltLow = 0.0;  // one-pole low of the tone control
        double bumpFirst = 0.0, bumpSecond = 0.0;
    };
    void shape(SaturationCurve which, float* x, const float* bias, int frames, Channel& c) const;
    void bend(std::span<float> fast, int channel, const double* drives, const double* biases);

    ProcessSpec spec_;
    std::vector<double> values_;
    Oversampler oversampler_;
    DelayLine dryDelay_, restDelay_;
    std::vector<Channel> channel_;
    Smoother drive_, bias_, mix_, output_, tone_, bump_, blend_;
    SaturationCurve curve_ = SaturationCurve::warm, oldCurve_ = SaturationCurve::warm;
    Smoother direct_;  // how much of the direct voltage is taken out: none without a bias
    LoudnessMatch loudness_;
    Smoother match_;
};

ProcessorType saturationType();

}  // namespace ember
