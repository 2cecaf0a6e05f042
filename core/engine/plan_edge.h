// A way of sound into a row of a plan: where it is taken, how loud it comes, and how long it waits
// so that everything the row is fed arrives together.
//
// A row's way to its bus comes as it is; a send has level and pan of its own, by the seat's laws.
// Of two ways out of one row a solo may open one and close the other, so every edge has its own
// gate.
#pragma once

#include "core/dsp/delay_line.h"
#include "core/dsp/smoother.h"
#include "core/engine/curve_reader.h"
#include "core/session/diff.h"
#include "core/session/session.h"

namespace ember {

class PlanEdge {
  public:
    // `from` is the place of the row that it comes from, `channels` what that row's chain has;
    // `send` null: the row's way to its bus.
    PlanEdge(int from, const Send* send, int channels, double sampleRate);

    [[nodiscard]] int from() const { return from_; }
    // Whether it is taken before the fader.
    [[nodiscard]] bool before() const { return before_; }
    [[nodiscard]] bool isSend() const { return send_; }
    // Frames until the latest of the row's inputs is there.
    void setWait(int frames) { wait_.prepare(2, frames); }
    [[nodiscard]] int wait() const { return wait_.frames(); }
    // What it comes to once nothing moves.
    [[nodiscard]] double gain(int channel) const;

    // The rest is real-time safe.
    void move(Move::Kind kind, double value);  // sendOn, sendLevel, sendPan
    void setOpen(bool open) { open_.aim(open ? 1.0 : 0.0); }
    // Where everything is aimed at, at once.
    void settle();
    // Goes on where another plan's edge between the same rows is; says whether its wait is filled.
    bool adopt(const PlanEdge& other);
    // Adds block `block` of the run that `time` holds, as `from` gave it, to `io`; two channels
    // each.
    void add(const float* left, const float* right, const AudioBlock& io, const TimeLine& time,
             int block);
    // What its curves made of its sides in the last block, a gain a frame; null without curves.
    [[nodiscard]] const float* followed(int channel) const {
        return curves.empty() ? nullptr : followed_[channel].data();
    }

    // What moves its level and pan (places in the seat's table).
    std::vector<CurveReader> curves;

  private:
    void aim();
    void follow(const TimeLine& time, int block);

    int from_;
    bool send_ = false, before_ = false, mono_ = false, on_ = true;
    double levelDb_ = 0.0, pan_ = 0.0;
    DelayLine wait_;
    Smoother left_, right_, open_;
    std::array<float, kBlock> followed_[2] = {};
};

}  // namespace ember
