// Reads an element's recordings block by block, delayed or advanced by any amount.
#pragma once

#include "core/audio/clip.h"
#include "core/dsp/processor.h"

#include <array>
#include <memory>
#include <vector>

namespace ember {

// What the transport asks of the sources in one block.
struct BlockPlay {
    enum class Mode { silent, play, fadeIn, fadeOut, jump };
    Mode mode = Mode::play;
    Frames position = 0;  // song time of the block's first frame
    Frames from = 0;      // where a jump leaves
};

// One or two channels, each a channel of a clip. Whole-sample delays copy bit for
// bit; fractional ones interpolate with a 32-tap Kaiser-windowed sinc. A new delay is
// faded in over 21 ms. read() and setDelay() are real-time safe.
class ClipSource {
  public:
    struct Part {
        std::shared_ptr<const Clip> clip;  // null: silence
        int channel = 0;
        Frames offset = 0;
    };
    ClipSource(std::vector<Part> parts, double sampleRate, double delayFrames);

    [[nodiscard]] int channels() const { return static_cast<int>(parts_.size()); }
    void setDelay(double frames);
    void read(const BlockPlay& play, const AudioBlock& out);
    void prefetch(Frames from, Frames to) const;

  private:
    static constexpr int kTaps = 32;
    struct Tap {
        Frames whole = 0;
        bool fractional = false;
        std::array<float, kTaps> weights{};
    };
    static Tap makeTap(double frames);
    void readTap(const Tap& tap, Frames position, const AudioBlock& out) const;
    void readFaded(Frames position, const AudioBlock& out);

    std::vector<Part> parts_;
    Tap current_, next_;
    double target_ = 0.0, reached_ = 0.0;
    int fadeAt_ = -1, fadeFrames_ = 1;
};

}  // namespace ember
