// Gate: opens when the key rises above one threshold, closes after it has stayed
// below a lower one for the hold time. Or opens for the drum's strokes, wherever a level would:
// early by a set time (strokes are known beforehand, this costs no latency), for a set length.
// Ghost notes that it let through may be lifted: while one sounds, fully open is that much more.
//
// The gain runs along a raised cosine between floor and unity: attack is the time
// from 0 to 100 % of it, release from 100 to 0 %. The smooth shape keeps the splatter
// of a 0.5 ms opening more than 60 dB down above 12 kHz.
// Latency: the look-ahead.
#pragma once

#include "core/dsp/delay_line.h"
#include "core/dsp/key_filter.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"
#include "core/dsp/trim.h"

namespace ember {

class Gate : public ValueProcessor<Gate> {
  public:
    enum Index {
        threshold,
        hysteresis,
        attack,
        hold,
        release,
        floor,
        lookAhead,
        keyHighPass,
        keyLowPass,
        keyListen,
        keySource,
        strokeEarly,
        strokeLength,
        ghostLift,
        output
    };

    Gate(const ProcessSpec& spec, std::span<const double> values);
    [[nodiscard]] int latency() const override { return delay_.frames(); }
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    void replay(const AudioBlock& io, const Processor& master) override;
    void strike(std::span<const BlockEvent> strikes) override { strikes_ = strikes; }
    [[nodiscard]] bool wantsStrokes() const override {
        return byStrokes() || values_[ghostLift] > 0.0;
    }
    [[nodiscard]] int strokeLead() const override;

  private:
    [[nodiscard]] bool byStrokes() const { return values_[keySource] >= 0.5; }
    void hear(const BlockEvent& event, int stays);
    void apply(const AudioBlock& io, const float* gains);

    ProcessSpec spec_;
    std::vector<double> values_;
    KeyFilter keyFilter_;
    DelayLine delay_;
    Smoother floor_, top_;
    KeyListen listen_;
    Trim trim_;
    bool open_ = false;
    double position_ = 0.0;  // 0 closed .. 1 open, along the raised cosine
    int holdLeft_ = 0;
    std::span<const BlockEvent> strikes_;  // of the block that comes
    float gains_[kBlock] = {};
};

ProcessorType gateType();

}  // namespace ember
