// Exciter: new harmonics for the lows and for the highs, each with its own amount; the signal
// itself stays as it is.
//
// Lows: what lies under the corner is bent by tanh, and only what the bend added is kept, above the
// corner: a fundamental that small speakers cannot play is heard by its harmonics. Highs: what lies
// above the corner is bent with a bias, and what is new above the corner is added: air without
// hiss. At the amounts of zero the output is the input, delayed. Eight times the rate, as
// saturation.h. Latency: that of the oversampling.
#pragma once

#include "core/dsp/band_split.h"
#include "core/dsp/delay_line.h"
#include "core/dsp/oversampler.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

namespace ember {

class Exciter : public ValueProcessor<Exciter> {
  public:
    enum Index { lows, lowCorner, highs, highCorner, push };

    Exciter(const ProcessSpec& spec, std::span<const double> values);
    [[nodiscard]] int latency() const override { return lowSampler_.latency(); }
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    [[nodiscard]] bool replaysExactly() const override { return false; }

  private:
    struct Channel {
        BandSplit low, high, addedLow, addedHigh;
    };
    ProcessSpec spec_;
    std::vector<double> values_;
    Oversampler lowSampler_, highSampler_;
    DelayLine delay_;
    std::vector<Channel> channel_;
    Smoother lows_, highs_, push_;
};

ProcessorType exciterType();

}  // namespace ember
