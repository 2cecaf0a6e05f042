// One processor in a plan with its way around: bypass without clicks, at the same latency.
#pragma once

#include "core/dsp/delay_line.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"
#include "core/engine/curve_reader.h"
#include "core/engine/event_track.h"
#include "core/session/session.h"

#include <memory>
#include <vector>

namespace ember {

class PlanStage {
  public:
    PlanStage(const Stage& stage, const ProcessSpec& spec);

    // Real-time safe. `key` null: the stage's own input. `block` of the run that `time` holds,
    // `moved` frames after what it played there.
    void process(const AudioBlock& io, const AudioBlock* key, const TimeLine& time, int block,
                 Frames moved);
    // Goes on where another plan's stage is, which plays the same part. Real-time safe.
    void adopt(const PlanStage& other);
    // Whether it plays the same part as another: same id and type, channels and structural values.
    [[nodiscard]] bool sameAs(const PlanStage& other) const { return part_ == other.part_; }
    void setOn(bool on);
    void setValue(int parameter, double value);
    // Passed by for a comparison, its input raised by gainDb.
    void setAuditionedOff(bool off, double gainDb);

    [[nodiscard]] Processor& processor() { return *processor_; }
    [[nodiscard]] const Processor& processor() const { return *processor_; }
    [[nodiscard]] bool active() const { return wet_.moving() || wet_.value() > 0.0; }
    // Whether it is to be heard, whatever still fades.
    [[nodiscard]] bool heard() const { return on_ && !auditionedOff_; }
    [[nodiscard]] int latency() const { return dryDelay_.frames(); }

    // Place of the row's key source, or -1; the key waits as long as the signal has until here.
    int keyRow = -1;
    DelayLine keyDelay;
    // What a bus tells comes late: the signal waits for it in front of the stage.
    DelayLine wait;
    // What drives the processor, and how many frames after the source plays it a stroke comes to
    // it: the latency up to here with its own, less its lead.
    EventTrack track;
    Frames trackDelay = 0;
    int entersAt = 0;  // frames by which the signal is late when it comes here
    std::vector<CurveReader> curves;

  private:
    void aim();
    void follow(const TimeLine& time, int block);

    std::uint64_t part_ = 0;
    std::unique_ptr<Processor> processor_;
    std::vector<double> values_;
    DelayLine dryDelay_;
    Smoother wet_, dryGain_;
    bool on_, auditionedOff_ = false;
    bool fresh_ = false;  // it comes into use: what sounds already has to be told again
    bool begun_ = false;  // it has played, or goes on where another has
};

}  // namespace ember
