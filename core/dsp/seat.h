// Seat: level, place and width of a row, always last in its chain.
//
// Pan law: constant power, 0 dB in the middle: left = sqrt(2) cos t, right = sqrt(2) sin t,
// t = (pan + 1) pi / 4, so a mono element in the middle reaches both sides unchanged
// and rises by 3 dB in one of them when panned hard. A stereo element is balanced: the side
// panned away from falls by the cosine law, the other stays. Width scales the side signal
// (L - R) / 2, so it never changes the mono sum.
#pragma once

#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

#include <array>

namespace ember {

// Gains of the two sides; pan -1 (left) .. 1 (right). Exactly 1 and 1 at 0.
struct PanGains {
    double left = 1.0, right = 1.0;
};
PanGains panMono(double pan);
PanGains panStereo(double pan);

class Seat : public ValueProcessor<Seat> {
  public:
    enum Index { level, pan, width };

    // spec.channels is that of the input; the output has two.
    Seat(const ProcessSpec& spec, std::span<const double> values);
    void setValue(int index, double value) override;
    bool followCurve(int index, std::span<const double> values) override;
    void reset() override;
    // `io` has two channels; of a mono row only the first holds the signal on entry.
    void process(const AudioBlock& io, const AudioBlock& key) override;
    // Fades the row out or in (mute, solo), as a gain on top of the level.
    void setAudible(bool audible) { audible_.aim(audible ? 1.0 : 0.0); }

  private:
    void aim();
    void processFollowed(const AudioBlock& io);

    int channels_;
    double levelDb_ = 0.0, pan_ = 0.0;
    double placed_ = 0.0;  // the pan that sides_ are of
    PanGains sides_;
    Smoother left_, right_, width_, audible_;
    // By index: what it follows in the next block, or nothing.
    std::array<std::span<const double>, 3> followed_;
};

ProcessorType seatType();

}  // namespace ember
