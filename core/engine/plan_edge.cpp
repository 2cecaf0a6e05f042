#include "core/engine/plan_edge.h"

#include "core/base/units.h"
#include "core/dsp/seat.h"

#include <algorithm>

namespace ember {

PlanEdge::PlanEdge(int from, const Send* send, int channels, double sampleRate) : from_(from) {
    for (Smoother* s : {&left_, &right_, &open_}) s->prepare(sampleRate);
    if (send != nullptr) {
        send_ = true;
        before_ = send->before;
        // Behind the seat everything has two sides.
        mono_ = before_ && channels == 1;
        on_ = send->on;
        levelDb_ = send->levelDb;
        pan_ = send->pan;
    }
    open_.aim(1.0);
    aim();
    settle();
}

void PlanEdge::aim() {
    const double gain = on_ && levelDb_ > kSendLowest ? gainFromDb(levelDb_) : 0.0;
    const PanGains sides = mono_ ? panMono(pan_ / 100.0) : panStereo(pan_ / 100.0);
    left_.aim(gain * sides.left);
    right_.aim(gain * sides.right);
}

double PlanEdge::gain(int channel) const {
    return (channel == 0 ? left_ : right_).target() * open_.target();
}

void PlanEdge::move(Move::Kind kind, double value) {
    if (kind == Move::Kind::sendOn) on_ = value >= 0.5;
    if (kind == Move::Kind::sendLevel) levelDb_ = value;
    if (kind == Move::Kind::sendPan) pan_ = value;
    aim();
}

void PlanEdge::settle() {
    for (Smoother* s : {&left_, &right_, &open_}) s->jump(s->target());
}

bool PlanEdge::adopt(const PlanEdge& other) {
    const double open = open_.target();
    left_ = other.left_;
    right_ = other.right_;
    open_ = other.open_;
    for (CurveReader& c : curves) {
        for (const CurveReader& before : other.curves) {
            if (before.parameter() == c.parameter()) c.adopt(before);
        }
    }
    open_.aim(open);
    aim();
    return wait_.adopt(other.wait_);
}

void PlanEdge::follow(const TimeLine& time, int block) {
    for (CurveReader& c : curves) c.in(time, block);
    for (std::size_t i = 0; i < kBlock; ++i) {
        const double level = levelDb_, pan = pan_;
        for (const CurveReader& c : curves)
            (c.parameter() == Seat::level ? levelDb_ : pan_) = c.last()[i];
        if (i == 0 || level != levelDb_ || pan != pan_) {
            aim();
            left_.jump(left_.target());
            right_.jump(right_.target());
        }
        const double open = open_.next();
        followed_[0][i] = static_cast<float>(left_.value() * open);
        followed_[1][i] = static_cast<float>(right_.value() * open);
    }
}

void PlanEdge::add(const float* left, const float* right, const AudioBlock& io,
                   const TimeLine& time, int block) {
    float copy[2][kBlock];
    const float* in[2] = {left, right};
    if (wait_.frames() > 0) {
        for (int c = 0; c < 2; ++c) std::copy_n(in[c], io.frames, copy[c]);
        wait_.process({{copy[0], copy[1]}, 2, io.frames});
        in[0] = copy[0];
        in[1] = copy[1];
    }
    if (!curves.empty()) {
        follow(time, block);
        for (int c = 0; c < 2; ++c) {
            for (std::size_t i = 0; i < kBlock; ++i) io.channel[c][i] += followed_[c][i] * in[c][i];
        }
        return;
    }
    if (left_.moving() || right_.moving() || open_.moving()) {
        for (int i = 0; i < io.frames; ++i) {
            const double open = open_.next();
            io.channel[0][i] += static_cast<float>(left_.next() * open) * in[0][i];
            io.channel[1][i] += static_cast<float>(right_.next() * open) * in[1][i];
        }
        return;
    }
    for (int c = 0; c < 2; ++c) {
        const auto gain = static_cast<float>((c == 0 ? left_ : right_).value() * open_.value());
        if (gain == 0.0F) continue;
        for (int i = 0; i < io.frames; ++i)
            io.channel[c][i] += gain == 1.0F ? in[c][i] : gain * in[c][i];
    }
}

}  // namespace ember
