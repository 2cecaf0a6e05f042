// What the reverb does with a block.

#include "core/base/units.h"
#include "core/dsp/reverb.h"
#include "core/dsp/simd.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr int kModulated = 4;  // every so many lines one wanders

// Signs of lines into the network and out of it: fixed, and unlike each other.
constexpr float signOf(int line, std::uint32_t pattern) {
    return (pattern >> static_cast<unsigned>(line) & 1U) != 0 ? 1.0F : -1.0F;
}
constexpr std::uint32_t kIn = 0x9D2C5680U, kOut = 0x5BD1E995U;

// Hadamard matrix of 32 by butterflies, scaled to keep the energy.
[[gnu::always_inline]] inline void hadamard(float* x) {
    for (int half = 1; half < Reverb::kLines; half *= 2) {
        float next[Reverb::kLines];
        for (int i = 0; i < Reverb::kLines; ++i)
            next[i] = (i & half) != 0 ? x[i ^ half] - x[i] : x[i] + x[i ^ half];
        for (int i = 0; i < Reverb::kLines; ++i) x[i] = next[i];
    }
    constexpr float scale = 0.176776695F;  // 1 / sqrt(32)
    for (int i = 0; i < Reverb::kLines; ++i) x[i] *= scale;
}

// One round through all lines: damped, given out, mixed, fed. `step` null: nothing moves.
struct Round {
    float *low0, *low1, *lowA, *high0, *high1, *highA, *level;
    const float *stepLow0, *stepLow1, *stepLowA, *stepHigh0, *stepHigh1, *stepHighA;
    float stepLevel;
    float *lowState, *highState;
};

EMBER_CLONES void goRound(const Round& r, float* work, const float* left, const float* right,
                          float* wetLeft, float* wetRight, int frames, int ramp) {
    constexpr int n = Reverb::kLines;
    float in[n], out[n];
    for (int i = 0; i < n; ++i) {
        in[i] = 0.25F * signOf(i, kIn);
        out[i] = signOf(i, kOut);
    }
    for (int f = 0; f < frames; ++f) {
        float* x = work + f * n;
        if (f < ramp) {
            for (int i = 0; i < n; ++i) {
                r.low0[i] += r.stepLow0[i];
                r.low1[i] += r.stepLow1[i];
                r.lowA[i] += r.stepLowA[i];
                r.high0[i] += r.stepHigh0[i];
                r.high1[i] += r.stepHigh1[i];
                r.highA[i] += r.stepHighA[i];
            }
            *r.level += r.stepLevel;
        }
        for (int i = 0; i < n; ++i) {
            const float y = r.low0[i] * x[i] + r.lowState[i];
            r.lowState[i] = r.low1[i] * x[i] - r.lowA[i] * y;
            const float z = r.high0[i] * y + r.highState[i];
            r.highState[i] = r.high1[i] * y - r.highA[i] * z;
            x[i] = z;
        }
        // Even lines are heard left and fed by the left, odd ones right.
        float l = 0.0F, rr = 0.0F;
        for (int i = 0; i < n; i += 2) {
            l += out[i] * x[i];
            rr += out[i + 1] * x[i + 1];
        }
        hadamard(x);
        for (int i = 0; i < n; i += 2) {
            x[i] += in[i] * left[f];
            x[i + 1] += in[i + 1] * right[f];
        }
        wetLeft[f] += *r.level * l;
        wetRight[f] += *r.level * rr;
    }
}

}  // namespace

void Reverb::AllPass::process(float* io, int frames, const float* gain) {
    float late[kBlock];
    line.read(late, frames);
    for (int i = 0; i < frames; ++i) {
        const float fed = io[i] + gain[i] * late[i];
        io[i] = late[i] - gain[i] * fed;
        late[i] = fed;
    }
    line.write(late, frames);
}

void Reverb::addEarly(const float* in, float* const wet[2], int frames) {
    float part[kBlock];
    float loud[kBlock];
    for (int i = 0; i < frames; ++i) loud[i] = static_cast<float>(early_.next());
    // Taps count from the block that is written now.
    earlyLine_.write(in, frames);
    for (std::size_t side = 0; side < 2; ++side) {
        for (const Tap& tap : taps_[side]) {
            earlyLine_.read(part, frames, tap.delay + frames - earlyLine_.frames());
            for (int i = 0; i < frames; ++i) wet[side][i] += tap.gain * loud[i] * part[i];
        }
    }
}

// What comes out of the lines, frame by frame, all lines beside each other.
void Reverb::readLines(float* work, int frames) {
    float out[kBlock];
    const double from = depth_.value();
    for (int i = 0; i < frames; ++i) depth_.next();
    const double to = depth_.value();
    for (int i = 0; i < kLines; ++i) {
        BlockDelay& line = lines_[static_cast<std::size_t>(i)];
        const bool wanders = i % kModulated == 0 && (from > 0.0 || to > 0.0);
        if (wanders) {
            // Each at a pace of its own, 0.3 to 0.9 Hz.
            double& phase = phase_[static_cast<std::size_t>(i)];
            const double pace = (0.3 + 0.6 * i / kLines) / spec_.sampleRate;
            const auto off = [](double at) {
                return 0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * at);
            };
            const double first = line.frames() + from * off(phase),
                         last = line.frames() + to * off(phase + pace * frames);
            for (int f = 0; f < frames; ++f)
                out[f] = line.readAt(first + (last - first) * f / frames, f);
            phase += pace * frames;
            phase -= std::floor(phase);
        } else {
            line.read(out, frames);
        }
        for (int f = 0; f < frames; ++f) work[f * kLines + i] = out[f];
    }
}

void Reverb::network(float* const in[2], float* const wet[2], int frames) {
    alignas(64) float work[kBlock * kLines];
    readLines(work, frames);
    goRound({now_.low0.data(), now_.low1.data(), now_.lowA.data(), now_.high0.data(),
             now_.high1.data(), now_.highA.data(), &now_.level, step_.low0.data(),
             step_.low1.data(), step_.lowA.data(), step_.high0.data(), step_.high1.data(),
             step_.highA.data(), step_.level, lowState_.data(), highState_.data()},
            work, in[0], in[1], wet[0], wet[1], frames, ramp_);
    if (ramp_ > 0) {
        ramp_ = std::max(0, ramp_ - frames);
        if (ramp_ == 0) now_ = target_;
    }
    float out[kBlock];
    for (int i = 0; i < kLines; ++i) {
        for (int f = 0; f < frames; ++f) out[f] = work[f * kLines + i];
        lines_[static_cast<std::size_t>(i)].write(out, frames);
    }
}

void Reverb::process(const AudioBlock& io, const AudioBlock& key) {
    (void)key;
    const int frames = io.frames;
    float in[2][kBlock], wet[2][kBlock] = {}, gain[kBlock], both[kBlock] = {};
    for (int c = 0; c < 2; ++c) std::copy_n(io.channel[io.channels == 2 ? c : 0], frames, in[c]);
    pre_.process({{in[0], in[1]}, 2, frames});
    for (int i = 0; i < frames; ++i) both[i] = 0.5F * (in[0][i] + in[1][i]);
    float* const wets[2] = {wet[0], wet[1]};
    addEarly(both, wets, frames);
    for (int i = 0; i < frames; ++i) gain[i] = static_cast<float>(density_.next());
    for (std::size_t side = 0; side < 2; ++side) {
        for (AllPass& section : spread_[side]) section.process(in[side], frames, gain);
    }
    float* const fed[2] = {in[0], in[1]};
    network(fed, wets, frames);
    for (int i = 0; i < frames; ++i) {
        const auto lows = static_cast<float>(lowCutTo_.next()),
                   highs = static_cast<float>(highCutTo_.next()),
                   share = static_cast<float>(mix_.next()),
                   wide = static_cast<float>(width_.next());
        float side[2];
        for (std::size_t c = 0; c < 2; ++c) {
            auto& p = poles_[c];
            float x = wet[c][i];
            x -= p[0].low(x, lows);
            x -= p[1].low(x, lows);
            x = p[2].low(x, highs);
            side[c] = p[3].low(x, highs);
        }
        const float mid = 0.5F * (side[0] + side[1]), off = 0.5F * wide * (side[0] - side[1]);
        if (io.channels == 2) {
            io.channel[0][i] += share * (mid + off - io.channel[0][i]);
            io.channel[1][i] += share * (mid - off - io.channel[1][i]);
        } else {
            io.channel[0][i] += share * (std::numbers::sqrt2_v<float> * mid - io.channel[0][i]);
        }
    }
}

}  // namespace ember
