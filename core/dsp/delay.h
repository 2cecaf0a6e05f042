// Delay: echoes of either side, fed back and across, darker and thinner each time, that give way
// while the drum sounds.
//
// Each side is read from a ring behind what was written; what is read goes through a one-pole
// high-pass and low-pass (topology-preserving, Zavalishin 2012) and back in, to its own side and by
// the share of the cross-feed to the other. A new time fades in over the old one within 21 ms. The
// echoes give way by the level of what comes in (give_way.h). No latency.
#pragma once

#include "core/dsp/give_way.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

#include <array>
#include <vector>

namespace ember {

class Delay : public ValueProcessor<Delay> {
  public:
    enum Index { left, right, feedback, cross, lowCut, highCut, duck, mix };

    Delay(const ProcessSpec& spec, std::span<const double> values);
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    // What comes in decides how far the echoes give way: parts sum only without that.
    [[nodiscard]] bool replaysExactly() const override { return values_[duck] <= 0.0; }

  private:
    struct Side {
        std::vector<float> ring;
        int now = 1, next = 1, wanted = 1;  // frames of delay
        int faded = 0;                      // of kFade; at kFade it reads `now` alone
        float low = 0.0F, high = 0.0F;      // states of the filters
    };
    void aimTimes();
    float read(Side& side);

    static constexpr int kFade = 1024;
    ProcessSpec spec_;
    std::vector<double> values_;
    std::array<Side, 2> sides_;
    Smoother feedback_, cross_, lowTo_, highTo_, mix_;
    GiveWay give_;
    int at_ = 0;
};

ProcessorType delayType();

}  // namespace ember
