// The filters a detector hears through: second-order Butterworth high- and low-pass,
// each left out at the end of its range.
#pragma once

#include "core/dsp/cascade.h"
#include "core/dsp/processor.h"

#include <array>

namespace ember {

class KeyFilter {
  public:
    static constexpr double kLowest = 10.0, kHighest = 22000.0;  // Hz: "off"

    void prepare(const ProcessSpec& spec) { sampleRate_ = spec.sampleRate; }
    // Corners in Hz.
    void set(double highPass, double lowPass);
    void reset();
    // Filters `key` into the internal block and returns it; returns `key` itself when both are off.
    AudioBlock process(const AudioBlock& key);

  private:
    double sampleRate_ = 48000.0, highPass_ = kLowest, lowPass_ = kHighest;
    std::array<Cascade, 2> cascade_;
    std::array<std::array<float, kBlock>, 2> filtered_{};
};

// The two parameters every key filter has in its processor's table.
Parameter keyHighPassParameter();
Parameter keyLowPassParameter();

}  // namespace ember
