// The filters a detector hears through: second-order Butterworth high- and low-pass,
// each left out at the end of its range.
#pragma once

#include "core/dsp/cascade.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

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

// Plays what a detector hears in place of the signal.
class KeyListen {
  public:
    void prepare(double sampleRate) { share_.prepare(sampleRate); }
    void set(bool on) { share_.aim(on ? 1.0 : 0.0); }
    void reset() { share_.jump(share_.target()); }
    // Real-time safe: what is heard before the signal is processed, and its part of it afterwards.
    void take(const AudioBlock& heard, int channels);
    void play(const AudioBlock& io);

  private:
    [[nodiscard]] bool on() const { return share_.moving() || share_.value() > 0.0; }

    Smoother share_;
    std::array<std::array<float, kBlock>, 2> heard_{};
};
Parameter keyListenParameter();

// The two parameters every key filter has in its processor's table.
Parameter keyHighPassParameter();
Parameter keyLowPassParameter();

}  // namespace ember
