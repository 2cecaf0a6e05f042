// A curve as a plan plays it: the values of a block, as the sound of that place comes by.
//
// Sound comes late to a stage or a send (latencies before it), so a curve is read where the sound
// was when it was played. At a jump of the transport the old place fades into the new one; so do
// the values.
#pragma once

#include "core/engine/event_track.h"
#include "core/session/curve.h"

#include <array>
#include <span>

namespace ember {

class CurveReader {
  public:
    // `parameter`: place in the table of what it moves. Not real-time safe.
    CurveReader(int parameter, CurveLine line) : line_(std::move(line)), parameter_(parameter) {}

    [[nodiscard]] int parameter() const { return parameter_; }
    // Frames by which sound comes late to what it moves.
    void setLate(Frames frames) { late_ = frames; }
    [[nodiscard]] Frames late() const { return late_; }
    // The values of a block of the run; they stay until the next call. Real-time safe; one thread
    // at a time.
    std::span<const double> in(const TimeLine& time, int block);
    // Those of the last block; empty before the first.
    [[nodiscard]] std::span<const double> last() const {
        return begun_ ? std::span<const double>(values_) : std::span<const double>();
    }
    // Whether the block ends elsewhere than the one before.
    [[nodiscard]] bool moved() const { return moved_; }
    // Goes on from where another reader of the same place is. Real-time safe.
    void adopt(const CurveReader& other);

  private:
    // Frames of a fade at a jump: as long as the sources take.
    static constexpr Frames kFade = 1024;
    void fill(const TimeLine& time, int block, int offset, std::span<double> out);

    CurveLine line_;
    int parameter_;
    Frames late_ = 0;
    std::array<double, kBlock> values_{};
    bool begun_ = false, moved_ = false;
    bool adopted_ = false;  // what it moves was set otherwise since
    double from_ = 0.0;     // where a fade began
    Frames faded_ = kFade;  // how far it is
};

}  // namespace ember
