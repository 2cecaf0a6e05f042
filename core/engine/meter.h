// What the rows of a plan do, from the thread that runs it to one that shows it.
#pragma once

#include "core/dsp/processor.h"

#include <algorithm>
#include <atomic>
#include <vector>

namespace ember {

// What a row did since it was last asked.
struct RowMeter {
    float peak[2] = {0.0F, 0.0F};        // linear
    float meanSquare[2] = {0.0F, 0.0F};  // of the loudest run
    std::vector<Reading> stage;          // by place in the chain
};

// One row's, written by one thread, read and emptied by one other; wait-free for both. Where a
// reading is taken just while it is raised, it is told once more; none is missed.
class MeterCells {
  public:
    explicit MeterCells(std::size_t stages = 0) : stages_(stages) {}

    void raise(int channel, float peak, float meanSquare) {
        raise(level_[channel].peak, peak);
        raise(level_[channel].meanSquare, meanSquare);
    }
    void raise(std::size_t stage, const Reading& now) {
        raise(stages_[stage].keyPeak, now.keyPeak);
        // The deepest gain, as a reduction, so that nothing is 0.
        raise(stages_[stage].reduction, -now.gainDb);
    }
    // Allocates where `meter` has fewer stages.
    void take(RowMeter& meter) {
        for (int c = 0; c < 2; ++c) {
            meter.peak[c] = level_[c].peak.exchange(0.0F, std::memory_order_relaxed);
            meter.meanSquare[c] = level_[c].meanSquare.exchange(0.0F, std::memory_order_relaxed);
        }
        meter.stage.resize(stages_.size());
        for (std::size_t s = 0; s < stages_.size(); ++s) {
            meter.stage[s].keyPeak = stages_[s].keyPeak.exchange(0.0F, std::memory_order_relaxed);
            meter.stage[s].gainDb = -stages_[s].reduction.exchange(0.0F, std::memory_order_relaxed);
        }
    }

  private:
    struct Level {
        std::atomic<float> peak{0.0F}, meanSquare{0.0F};
    };
    struct Stage {
        std::atomic<float> keyPeak{0.0F}, reduction{0.0F};
    };
    static void raise(std::atomic<float>& cell, float now) {
        cell.store(std::max(cell.load(std::memory_order_relaxed), now), std::memory_order_relaxed);
    }

    Level level_[2];
    std::vector<Stage> stages_;
};

}  // namespace ember
