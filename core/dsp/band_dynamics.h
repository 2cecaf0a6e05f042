// Dynamics of one band: expander, ducking, upward expansion, de-harsher.
//
// The band between two corners is turned up or down by its own level (or by another element's), the
// rest stays; when nothing is turned the output is the input, bit for bit. Static curves, with L
// the level in dB, T the threshold, R the ratio:
//   expand: gain = -(R - 1) (T - L) below T     (quieter between strokes)
//   press:  gain = -(1 - 1/R) (L - T) above T   (ducking; harsh moments)
//   raise:  gain = +(R - 1) (L - T) above T     (a band comes forward with its strokes)
// never further than the range. Level and gain are followed as in compressor.h (Giannoulis,
// Massberg & Reiss, JAES 60(6), 2012, eq. 17): attack is the time in which the gain in dB
// covers 63.2 % of a step away from rest (for expand: towards open), release back. Latency: the
// look-ahead.
#pragma once

#include "core/dsp/band_split.h"
#include "core/dsp/delay_line.h"
#include "core/dsp/key_filter.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"
#include "core/dsp/trim.h"

namespace ember {

enum class BandMode { expand, press, raise };
// Gain in dB that the static curve gives a level; see above. ratio >= 1, range >= 0 dB.
double bandCurve(BandMode mode, double levelDb, double thresholdDb, double ratio, double rangeDb);

class BandDynamics : public ValueProcessor<BandDynamics> {
  public:
    enum Index {
        mode,
        threshold,
        ratio,
        range,
        attack,
        hold,
        release,
        from,
        to,
        lookAhead,
        keyListen,
        mix,
        output
    };

    BandDynamics(const ProcessSpec& spec, std::span<const double> values);
    [[nodiscard]] int latency() const override { return delay_.frames(); }
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    void replay(const AudioBlock& io, const Processor& master) override;

  private:
    void apply(const AudioBlock& io, const float* gains);

    ProcessSpec spec_;
    std::vector<double> values_;
    BandGain band_[2];
    BandSplit heard_[2];
    DelayLine delay_;
    Smoother threshold_, ratio_, range_, mix_;
    KeyListen listen_;
    Trim trim_;
    double gain_ = 0.0;  // dB
    double peak_ = 0.0;
    int holdLeft_ = 0;
    float gains_[kBlock] = {};
};

ProcessorType expanderType();
ProcessorType deHarsherType();

}  // namespace ember
