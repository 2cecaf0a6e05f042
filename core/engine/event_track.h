// Events on their way through a plan: which of them a stage must be told of in a block.
//
// Sound is heard late (latencies before the stage, alignment), and what strokes drive wants to be
// told early. So a track looks back along the blocks that were played, or ahead along the way the
// transport will go, a loop's wrap included. Where playback starts, jumps or goes on elsewhere it
// says so, with whatever is sounding there already. While the sound stands still it says nothing.
#pragma once

#include "core/dsp/event.h"
#include "core/engine/row_source.h"

#include <span>
#include <vector>

namespace ember {

// What the transport did and does: the blocks of this run and some before it.
class TimeLine {
  public:
    // Remembers at least `frames` of what was. Not real-time safe.
    void prepare(Frames frames, int maxBlocks);
    // A run begins. Real-time safe.
    void begin(std::span<const BlockPlay> blocks);
    // What another time line remembers, as far back as this one can. Real-time safe.
    void adopt(const TimeLine& other);

    // Block of this run; negative: before it; before everything it stood still.
    [[nodiscard]] const BlockPlay& at(int block) const;
    // Whether the block does not follow on the one before.
    [[nodiscard]] bool starts(int block) const;
    // Whether it does so because a loop went round, which was known beforehand.
    [[nodiscard]] bool wraps(int block) const;

  private:
    std::vector<BlockPlay> blocks_;  // past, then the run
    int past_ = 0, run_ = 0;
};

class EventTrack {
  public:
    EventTrack() = default;
    // `events` ascending by frame. `mostAhead`: frames by which they are asked for early at most.
    // Not real-time safe.
    EventTrack(std::vector<Event> events, Frames mostAhead);

    [[nodiscard]] bool empty() const { return events_.empty(); }
    // What is to be told in a block of the run, `delay` frames after (negative: before) the source
    // plays it; valid until the next call. `fresh`: nobody has listened so far, so that the block
    // counts as a start wherever it is. Real-time safe; one thread at a time.
    std::span<const BlockEvent> in(const TimeLine& time, int block, Frames delay,
                                   bool fresh = false);

  private:
    void put(int frame, Frames age, const Event& event);
    // Events of song time [from, from + frames), the first of them at `at` of the block.
    void between(Frames from, Frames frames, int at);
    // The block's first frame comes to the stage at `at` of the block: what sounds there already.
    void start(Frames here, int at);
    void startAhead(const BlockPlay& play, Frames ahead);
    void wrapAhead(const BlockPlay& play, Frames ahead);
    [[nodiscard]] std::size_t firstFrom(Frames frame) const;

    std::vector<Event> events_;
    std::vector<BlockEvent> told_;
    std::size_t count_ = 0;
};

}  // namespace ember
