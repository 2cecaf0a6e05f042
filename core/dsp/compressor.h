// Feed-forward compressor in the log domain.
//
// Gain computer and smooth branching peak detector after Giannoulis, Massberg &
// Reiss, "Digital Dynamic Range Compressor Design - A Tutorial and Analysis", JAES
// 60(6), 2012: static curve eq. 4, detector eq. 17 applied to the gain reduction, so
// attack and release are the times in which the reduction in dB covers 63.2 % of a step.
// Automatic release: a second, slow detector (attack 200 ms, release 6 times the
// set one) runs beside the first and the larger reduction holds; short peaks recover at
// the set time, sustained pressure slowly.
// Characters: clean is the above. Smooth listens to its own output (feed-back; slope R - 1 on the
// output is slope 1 - 1/R on the input, ibid. sec. 2.3), so the curve is the same and the times
// depend on the ratio: a step is reached in about the set attack divided by the ratio. Crush is
// clean with half the attack and a release that is the shorter the deeper the reduction, divided by
// 1 + reduction / 6 dB.
// Latency: the look-ahead.
#pragma once

#include "core/dsp/delay_line.h"
#include "core/dsp/key_filter.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

namespace ember {

// Gain in dB (0 or less) that the static curve gives a steady level in dB.
// ratio >= 1, knee in dB (full width), range in dB (largest reduction).
double compressorCurve(double levelDb, double thresholdDb, double ratio, double kneeDb,
                       double rangeDb);

enum class CompressorCharacter { clean, smooth, crush };

class Compressor : public ValueProcessor<Compressor> {
  public:
    enum Index {
        threshold,
        ratio,
        knee,
        attack,
        release,
        autoRelease,
        detector,
        keyHighPass,
        keyLowPass,
        lookAhead,
        range,
        makeUp,
        mix,
        character,
        keyListen
    };

    Compressor(const ProcessSpec& spec, std::span<const double> values);
    [[nodiscard]] int latency() const override { return delay_.frames(); }
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    void replay(const AudioBlock& io, const Processor& master) override;

  private:
    void detect(const AudioBlock& heard, float* levelDb);
    void curve(float* levelDb, int frames);
    void follow(float* reductionDb, int frames);
    void followOutput(float* levelDb, int frames);
    void apply(const AudioBlock& io, const float* gains);

    ProcessSpec spec_;
    std::vector<double> values_;
    KeyFilter keyFilter_;
    KeyListen listen_;
    DelayLine delay_;
    Smoother threshold_, slope_, knee_, range_, makeUp_, mix_;
    double meanSquare_ = 0.0;
    double fast_ = 0.0, slow_ = 0.0;  // gain reduction, dB
    float gains_[kBlock] = {};
};

ProcessorType compressorType();

}  // namespace ember
