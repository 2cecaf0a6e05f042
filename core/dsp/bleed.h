// Bleed: every drum that a microphone hears, turned up or down by itself, and the microphone's own
// shaped in fine bands.
//
// What drums are turned to stands beside the table (Stage::drums), what they are told apart by was
// measured (measure/separate). The work is done where the recording is read (engine/row_source.h),
// by song position, so that it adds no latency; the processor itself lets everything through.
#pragma once

#include "core/dsp/processor.h"

namespace ember {

class Bleed : public ValueProcessor<Bleed> {
  public:
    enum Index { amount, floor, soft, even, crisp, room };

    void setValue(int index, double value) override;
    void reset() override {}
    void process(const AudioBlock& io, const AudioBlock& key) override;
};

ProcessorType bleedType();

}  // namespace ember
