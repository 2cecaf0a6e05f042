// Align: trim, polarity and delay of an element, always first in its chain; of a pair, the right
// side's own on top of them.
//
// Trim and polarity are this processor; the delay is taken where the recording is
// read (engine/source.h), so that a mic can also be moved earlier without latency.
#pragma once

#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

#include <array>

namespace ember {

class Align : public ValueProcessor<Align> {
  public:
    enum Index { trim, polarity, delay, rightTrim, rightPolarity, rightDelay };

    Align(const ProcessSpec& spec, std::span<const double> values);
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;

  private:
    struct Side {
        double trimDb = 0.0;
        bool flipped = false;
        Smoother gain;
    };
    std::array<Side, 2> sides_;
};

ProcessorType alignType();

}  // namespace ember
