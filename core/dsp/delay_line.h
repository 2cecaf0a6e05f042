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
    // What another one of the same length holds. Of another length it keeps its own, and says
    // whether that matters. Real-time safe.
    bool adopt(const DelayLine& other) {
        if (frames_ != other.frames_) return frames_ == 0;
        for (std::size_t c = 0; c < line_.size(); ++c) {
            if (line_[c].size() != other.line_[c].size()) return false;
            std::copy(other.line_[c].begin(), other.line_[c].end(), line_[c].begin());
        }
        at_ = other.at_;
        return true;
    }
    [[nodiscard]] int frames() const { return frames_; }
    // In place; a delay of zero leaves the block untouched.
    void process(const AudioBlock& io) {
        if (frames_ == 0) return;
        const auto frames = static_cast<std::size_t>(io.frames);
        std::size_t at = at_;
        for (int c = 0; c < io.channels; ++c) {
            auto& line = line_[static_cast<std::size_t>(c)];
            at = at_;
            // In pieces up to the line's end, mostly two at most.
            for (std::size_t done = 0; done < frames;) {
                const std::size_t piece = std::min(frames - done, line.size() - at);
                std::swap_ranges(line.data() + at, line.data() + at + piece, io.channel[c] + done);
                done += piece;
                at = at + piece == line.size() ? 0 : at + piece;
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
