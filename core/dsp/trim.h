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
    void apply(const AudioBlock& io);

  private:
    Smoother gain_;
};

// Its parameter.
Parameter trimParameter();

}  // namespace ember
