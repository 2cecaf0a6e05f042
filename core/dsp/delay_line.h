// A fixed whole-sample delay of one or two channels, for look-ahead and latency compensation.
#pragma once

#include "core/dsp/processor.h"

#include <algorithm>
#include <array>
#include <vector>

namespace ember {

class DelayLine {
  public:
    void prepare(int channels, int frames) {
        frames_ = frames;
        at_ = 0;
        for (int c = 0; c < channels; ++c)
            line_[static_cast<std::size_t>(c)].assign(static_cast<std::size_t>(frames), 0.0F);
    }
    void reset() {
        for (auto& line : line_) std::fill(line.begin(), line.end(), 0.0F);
    }
    [[nodiscard]] int frames() const { return frames_; }
    // In place; a delay of zero leaves the block untouched.
    void process(const AudioBlock& io) {
        if (frames_ == 0) return;
        std::size_t at = at_;
        for (int c = 0; c < io.channels; ++c) {
            auto& line = line_[static_cast<std::size_t>(c)];
            at = at_;
            for (int i = 0; i < io.frames; ++i) {
                std::swap(line[at], io.channel[c][i]);
                if (++at == line.size()) at = 0;
            }
        }
        at_ = at;
    }

  private:
    std::array<std::vector<float>, 2> line_;
    int frames_ = 0;
    std::size_t at_ = 0;
};

}  // namespace ember
