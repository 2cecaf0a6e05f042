// The gain at the end of a processor, by which it gives back the level it took or gained.
#pragma once

#include "core/base/units.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

namespace ember {

class Trim {
  public:
    void prepare(double sampleRate) {
        gain_.prepare(sampleRate);
        gain_.jump(1.0);
    }
    void set(double db) { gain_.aim(gainFromDb(db)); }
    void reset() { gain_.jump(gain_.target()); }
    // In place; at 0 dB the samples stay what they are. Real-time safe.
    void apply(const AudioBlock& io) {
        if (!gain_.moving() && gain_.value() == 1.0) return;
        for (int i = 0; i < io.frames; ++i) {
            const auto gain = static_cast<float>(gain_.next());
            for (int c = 0; c < io.channels; ++c) io.channel[c][i] *= gain;
        }
    }

  private:
    Smoother gain_;
};

// Its parameter.
inline Parameter trimParameter() {
    return {"output",
            "Output",
            Unit::dB,
            -24.0,
            24.0,
            0.0,
            Scale::linear,
            "Gain at the end, to leave the loudness that came in: louder always seems better.",
            {}};
}

}  // namespace ember
