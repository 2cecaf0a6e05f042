// One processor in a plan with its way around: bypass without clicks, at the same latency.
#pragma once

#include "core/dsp/delay_line.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"
#include "core/session/session.h"

#include <memory>
#include <vector>

namespace ember {

class PlanStage {
  public:
    PlanStage(const Stage& stage, const ProcessSpec& spec);

    // Real-time safe. `key` null: the stage's own input.
    // `position`: frame of the block's start on this stage's own time line.
    void process(const AudioBlock& io, const AudioBlock* key, Frames position);
    // Does to `io` what `master` did to its own signal; both must rest (no moves under way).
    void replay(const AudioBlock& io, const PlanStage& master);
    void setOn(bool on);
    // Passed by for a comparison, its input raised by gainDb.
    void setAuditionedOff(bool off, double gainDb);

    [[nodiscard]] Processor& processor() { return *processor_; }
    [[nodiscard]] const Processor& processor() const { return *processor_; }
    [[nodiscard]] bool active() const { return wet_.moving() || wet_.value() > 0.0; }
    [[nodiscard]] int latency() const { return dryDelay_.frames(); }

    // Place of the row's key source, or -1; the key waits as long as the signal has until here.
    int keyRow = -1;
    DelayLine keyDelay;
    // Strokes that drive the processor, as frames of song time moved by its latency and lead;
    // ascending.
    struct Struck {
        Frames at;
        bool ghost;
    };
    std::vector<Struck> strokes;

  private:
    void aim();
    void strike(Frames position, int frames);

    std::unique_ptr<Processor> processor_;
    DelayLine dryDelay_;
    Smoother wet_, dryGain_;
    bool on_, auditionedOff_ = false;
};

}  // namespace ember
