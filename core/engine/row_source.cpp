#include "core/engine/row_source.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

using std::numbers::pi;

float raisedCosine(double position) {
    return static_cast<float>(0.5 - 0.5 * std::cos(pi * std::clamp(position, 0.0, 1.0)));
}

}  // namespace

RowSource::RowSource(std::vector<Part> parts, double sampleRate, Delays delayFrames, int place)
    : parts_(std::move(parts)),
      current_(makeTaps(delayFrames)),
      target_(delayFrames),
      reached_(delayFrames),
      fadeFrames_(std::max(1, static_cast<int>(0.0213 * sampleRate))) {
    for (const Part& part : parts_) {
        readers_.push_back(nullptr);
        if (part.gains == nullptr || part.clip == nullptr) continue;
        const int hop = part.gains->grid.hop();
        readers_.back() = std::make_unique<BandGainReader>(
            SongSignal{part.clip->channel(part.channel), part.offset}, part.gains,
            place * 3 * kBlock % hop);
    }
    heard_.prepare(sampleRate, 21.3);
    heard_.jump(1.0);
    setDelay(delayFrames);
}

RowSource::RowSource(std::shared_ptr<const Stack> stack, std::vector<ReadyLayer> layers,
                     double sampleRate, Delays delayFrames)
    : RowSource(std::vector<Part>{}, sampleRate, delayFrames) {
    stack_ = std::move(stack);
    pads_ = std::make_unique<Pads>(std::move(layers));
}

RowSource::Tap RowSource::makeTap(double frames) {
    Tap tap;
    const double whole = std::floor(frames + 1e-6);
    tap.whole = static_cast<Frames>(whole);
    const double fraction = std::max(0.0, frames - whole);
    tap.fractional = fraction > 1e-4;
    if (!tap.fractional) return tap;
    constexpr double beta = 9.0, half = kTaps / 2.0;
    double sum = 0.0;
    std::array<double, kTaps> weights{};
    for (int k = 0; k < kTaps; ++k) {
        // Weight of the sample k - 15 places after the whole delay.
        const double x = (k - (half - 1.0)) - fraction;
        const double sinc = std::abs(x) < 1e-9 ? 1.0 : std::sin(pi * x) / (pi * x);
        const double r = x / half;
        weights[static_cast<std::size_t>(k)] =
            std::abs(r) < 1.0 ? sinc * std::cyl_bessel_i(0.0, beta * std::sqrt(1.0 - r * r)) : 0.0;
        sum += weights[static_cast<std::size_t>(k)];
    }
    for (std::size_t k = 0; k < kTaps; ++k) tap.weights[k] = static_cast<float>(weights[k] / sum);
    return tap;
}

void RowSource::prefetch(Frames from, Frames to) const {
    for (std::size_t c = 0; c < parts_.size(); ++c) {
        if (!parts_[c].clip) continue;
        const Frames late = parts_[c].offset + late_[c].load(std::memory_order_relaxed);
        const Frames ahead = parts_[c].gains ? 2 * parts_[c].gains->grid.window : kTaps;
        parts_[c].clip->prefetch(from - late - ahead, to - late + ahead);
    }
}

void RowSource::hold(std::span<const FrameSpan> song) const {
    for (std::size_t c = 0; c < parts_.size(); ++c) {
        if (!parts_[c].clip) continue;
        const Frames late = parts_[c].offset + late_[c].load(std::memory_order_relaxed);
        std::vector<FrameSpan> own(song.begin(), song.end());
        for (FrameSpan& s : own) s = {s.from - late - kTaps, s.to - late + kTaps};
        parts_[c].clip->hold(own);
    }
}

void RowSource::setDelay(Delays frames) {
    target_ = frames;
    for (std::size_t c = 0; c < late_.size(); ++c)
        late_[c].store(static_cast<Frames>(frames[c]), std::memory_order_relaxed);
}

void RowSource::hearGains(bool on, bool atOnce) {
    heard_.aim(on ? 1.0 : 0.0);
    if (atOnce) heard_.jump(heard_.target());
}

void RowSource::readSide(int side, Frames from, std::span<float> out) {
    if (stack_) return stack_->read(side, from, static_cast<int>(out.size()), out.data());
    const Part& part = parts_[static_cast<std::size_t>(side)];
    if (!part.clip) {
        std::fill(out.begin(), out.end(), 0.0F);
        return;
    }
    SongSignal{part.clip->channel(part.channel), part.offset}.read(from, out);
    const auto& reader = readers_[static_cast<std::size_t>(side)];
    if (!reader || (heardFrom_ == 0.0F && heardTo_ == 0.0F)) return;
    std::array<float, kBlock + kTaps> more;
    const std::span added(more.data(), out.size());
    reader->read(from, added);
    const float step = (heardTo_ - heardFrom_) / static_cast<float>(out.size());
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i] += (heardFrom_ + step * static_cast<float>(i)) * added[i];
}

void RowSource::readTap(const Taps& taps, Frames position, const AudioBlock& out) {
    const auto frames = static_cast<std::size_t>(out.frames);
    for (int c = 0; c < out.channels; ++c) {
        const Tap& tap = taps[static_cast<std::size_t>(c)];
        float* to = out.channel[c];
        if (!tap.fractional) {
            readSide(c, position - tap.whole, {to, frames});
            continue;
        }
        // weights[k] belongs to delay whole + (k - 15): a window that begins 16 frames earlier.
        float window[kBlock + kTaps];
        readSide(c, position - tap.whole - kTaps / 2, {window, frames + kTaps});
        for (int i = 0; i < out.frames; ++i) {
            float sum = 0.0F;
            for (int k = 0; k < kTaps; ++k)
                sum += tap.weights[static_cast<std::size_t>(k)] * window[i + kTaps - 1 - k];
            to[i] = sum;
        }
    }
}

void RowSource::readPlain(Frames position, const AudioBlock& out) {
    heardFrom_ = heardTo_ = 0.0F;
    readTap(current_, position, out);
}

void RowSource::readFaded(Frames position, const AudioBlock& out) {
    readTap(current_, position, out);
    if (fadeAt_ < 0) {
        if (target_ == reached_) return;
        next_ = makeTaps(target_);
        reached_ = target_;
        fadeAt_ = 0;
    }
    float other[2][kBlock];
    readTap(next_, position, {{other[0], other[1]}, out.channels, out.frames});
    for (int i = 0; i < out.frames; ++i) {
        const float weight = raisedCosine(static_cast<double>(fadeAt_ + i + 1) / fadeFrames_);
        for (int c = 0; c < out.channels; ++c)
            out.channel[c][i] += weight * (other[c][i] - out.channel[c][i]);
    }
    fadeAt_ += out.frames;
    if (fadeAt_ >= fadeFrames_) {
        current_ = next_;
        fadeAt_ = -1;
    }
}

void RowSource::read(const BlockPlay& play, const AudioBlock& out) {
    readSong(play, out);
    if (pads_) pads_->add(out);
}

void RowSource::readSong(const BlockPlay& play, const AudioBlock& out) {
    using Mode = BlockPlay::Mode;
    if (play.mode == Mode::silent) {
        for (int c = 0; c < out.channels; ++c) std::fill_n(out.channel[c], out.frames, 0.0F);
        return;
    }
    heardFrom_ = static_cast<float>(heard_.value());
    for (int i = 0; i < out.frames && heard_.moving(); ++i) heard_.next();
    heardTo_ = static_cast<float>(heard_.value());
    readFaded(play.position, out);
    if (play.mode == Mode::play) return;
    float leaving[2][kBlock] = {};
    if (play.mode == Mode::jump)
        readTap(current_, play.from, {{leaving[0], leaving[1]}, out.channels, out.frames});
    for (int i = 0; i < out.frames; ++i) {
        float weight = raisedCosine((i + 1.0) / out.frames);
        if (play.mode == Mode::fadeOut) weight = 1.0F - weight;
        for (int c = 0; c < out.channels; ++c)
            out.channel[c][i] = weight * out.channel[c][i] + (1.0F - weight) * leaving[c][i];
    }
}

}  // namespace ember
