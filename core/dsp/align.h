// Align: trim, polarity and delay of an element, always first in its chain.
//
// Trim and polarity are this processor; the delay is taken where the recording is
// read (engine/source.h), so that a mic can also be moved earlier without latency.
#pragma once

#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

namespace ember {

class Align : public Processor {
  public:
    enum Index { trim, polarity, delay };

    Align(const ProcessSpec& spec, std::span<const double> values);
    void setValue(int index, double value) override;
    void reset() override { gain_.jump(gain_.target()); }
    void process(const AudioBlock& io, const AudioBlock& key) override;

  private:
    double trimDb_ = 0.0;
    bool flipped_ = false;
    Smoother gain_;
};

ProcessorType alignType();

}  // namespace ember
