// Gives way while a drum sounds: a gain that falls by the level of what comes in, and comes back
// behind it, so that echoes and tails fill gaps.
#pragma once

#include "core/base/units.h"
#include "core/dsp/smoother.h"

#include <algorithm>
#include <cmath>

namespace ember {

// Read every 16 frames, gliding between. Real-time safe.
class GiveWay {
  public:
    void prepare(double sampleRate) {
        most_.prepare(sampleRate);
        attack_ = 1.0 - std::exp(-1000.0 / (2.0 * sampleRate));
        release_ = 1.0 - std::exp(-1000.0 / (80.0 * sampleRate));
    }
    // By how much at most, dB.
    void aim(double db) { most_.aim(db); }
    void reset() {
        most_.jump(most_.target());
        count_ = 0;
        envelope_ = 0.0;
        gain_ = 1.0F;
        step_ = 0.0F;
    }
    // The gain of a frame in which `magnitude` comes in.
    float next(float magnitude) {
        const auto level = static_cast<double>(magnitude);
        envelope_ += (level > envelope_ ? attack_ : release_) * (level - envelope_);
        const double most = most_.next();
        if (count_++ % kControl == 0) {
            const double share =
                std::clamp((dbFromGain(envelope_) - kFrom) / (kTo - kFrom), 0.0, 1.0);
            step_ = (static_cast<float>(gainFromDb(-most * share)) - gain_) / kControl;
        }
        gain_ += step_;
        return gain_;
    }
    [[nodiscard]] float gain() const { return gain_; }

  private:
    static constexpr int kControl = 16;
    static constexpr double kFrom = -45.0, kTo = -15.0;  // dBFS: not at all, wholly
    Smoother most_;
    int count_ = 0;
    double envelope_ = 0.0, attack_ = 0.0, release_ = 0.0;
    float gain_ = 1.0F, step_ = 0.0F;
};

}  // namespace ember
