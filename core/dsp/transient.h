// Transient shaper: attack and sustain of every stroke up or down, however soft it is.
//
// Two envelopes in dB follow the signal, a fast and a slow one; how far the fast one runs ahead of
// the slow one is the attack, how far it lags behind is the sustain (difference of envelopes;
// Zölzer (ed.), "DAFX: Digital Audio Effects", 2nd ed. 2011, ch. 4). Both are differences of
// levels, so a stroke 30 dB softer is treated alike. Only the band between the corners is shaped.
// Latency: the look-ahead.
#pragma once

#include "core/dsp/band_split.h"
#include "core/dsp/delay_line.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

namespace ember {

class TransientShaper : public ValueProcessor<TransientShaper> {
  public:
    enum Index { attack, sustain, attackTime, sustainTime, from, to, lookAhead, output, mix };

    TransientShaper(const ProcessSpec& spec, std::span<const double> values);
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
    Smoother attack_, sustain_, output_, mix_;
    double peak_ = 0.0;                                               // linear, held
    double fast_ = -90.0, slow_ = -90.0, tail_ = -90.0, gain_ = 0.0;  // dB
    float gains_[kBlock] = {};                                        // of the band
    float outputs_[kBlock] = {};
};

ProcessorType transientType();

}  // namespace ember
