// Reads what a row plays, its recordings or its stack of layers, block by block, delayed or
// advanced by any amount.
#pragma once

#include "core/audio/clip.h"
#include "core/dsp/band_gains.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"
#include "core/engine/pads.h"

#include <array>
#include <atomic>
#include <memory>
#include <span>
#include <vector>

namespace ember {

// What the transport asks of the sources in one block.
struct BlockPlay {
    enum class Mode { silent, play, fadeIn, fadeOut, jump };
    Mode mode = Mode::play;
    Frames position = 0;  // song time of the block's first frame
    Frames from = 0;      // where a jump leaves
    // Where the transport will go round, as it knows now: at loopTo (0: nowhere) back to loopFrom.
    Frames loopFrom = 0, loopTo = 0;
};

// One or two channels, each a channel of a clip, or a stack of two. Whole-sample delays copy bit
// for bit; fractional ones interpolate with a 32-tap Kaiser-windowed sinc. A new delay is faded in
// over 21 ms. read() and setDelay() are real-time safe.
class RowSource {
  public:
    struct Part {
        std::shared_ptr<const Clip> clip;  // null: silence
        int channel = 0;
        Frames offset = 0;
        std::shared_ptr<const BandGains> gains = nullptr;  // null: as it was recorded
    };
    // Delays of the left and of the right side, in frames.
    using Delays = std::array<double, 2>;
    // `place` among the rows spreads the work of gains over time.
    RowSource(std::vector<Part> parts, double sampleRate, Delays delayFrames, int place = 0);
    RowSource(std::shared_ptr<const Stack> stack, std::vector<ReadyLayer> layers, double sampleRate,
              Delays delayFrames);

    void setDelay(Delays frames);
    // Whether the gains of the parts are heard; they come and go within 21 ms, or at once.
    void hearGains(bool on, bool atOnce = false);
    void read(const BlockPlay& play, const AudioBlock& out);
    // Strikes the layers by hand, from the next read() on; nothing where it plays recordings.
    void strike(double velocity, int articulation) {
        if (pads_) pads_->strike(velocity, articulation);
    }
    // What read() would give without gains, where nothing fades; for pictures.
    void readPlain(Frames position, const AudioBlock& out);
    // Has the recordings around these frames of the song in memory. Any one thread beside the
    // reading one.
    void prefetch(Frames from, Frames to) const;
    // Keeps the recordings there in memory, see Clip::hold().
    void hold(std::span<const FrameSpan> song) const;
    // Goes on in the middle of a change of delay where another one is, of the same recordings.
    // Real-time safe.
    void adopt(const RowSource& other) {
        current_ = other.current_;
        next_ = other.next_;
        reached_ = other.reached_;
        fadeAt_ = other.fadeAt_;
        heard_ = other.heard_;
        if (pads_ && other.pads_) pads_->adopt(*other.pads_);
    }

  private:
    static constexpr int kTaps = 32;
    struct Tap {
        Frames whole = 0;
        bool fractional = false;
        std::array<float, kTaps> weights{};
    };
    using Taps = std::array<Tap, 2>;
    static Tap makeTap(double frames);
    static Taps makeTaps(const Delays& frames) { return {makeTap(frames[0]), makeTap(frames[1])}; }
    // What one side plays from a frame of the song on, without any delay.
    void readSide(int side, Frames from, std::span<float> out);
    void readTap(const Taps& taps, Frames position, const AudioBlock& out);
    void readFaded(Frames position, const AudioBlock& out);
    void readSong(const BlockPlay& play, const AudioBlock& out);

    std::vector<Part> parts_;
    std::vector<std::unique_ptr<BandGainReader>> readers_;  // by part; null where it has no gains
    // How far the gains are heard, and at the begin and the end of the block that is read.
    Smoother heard_;
    float heardFrom_ = 1.0F, heardTo_ = 1.0F;
    std::shared_ptr<const Stack> stack_;  // in place of parts
    std::unique_ptr<Pads> pads_;          // beside the stack
    Taps current_, next_;
    Delays target_{}, reached_{};
    std::array<std::atomic<Frames>, 2> late_{};  // whole frames of target_, for prefetch()
    int fadeAt_ = -1, fadeFrames_ = 1;
};

}  // namespace ember
