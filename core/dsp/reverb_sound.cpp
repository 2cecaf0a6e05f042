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

// The lines stand beside each other in two vectors of sixteen.
typedef float Half __attribute__((vector_size(64)));

Half load(const float* from) {
    return *reinterpret_cast<const Half*>(from);
}
void store(float* to, const Half& from) {
    *reinterpret_cast<Half*>(to) = from;
}
// Every lane exchanged with the one 8, 4, 2 or 1 places from it.
[[gnu::always_inline]] inline Half crossed8(Half x) {
    return __builtin_shufflevector(x, x, 8, 9, 10, 11, 12, 13, 14, 15, 0, 1, 2, 3, 4, 5, 6, 7);
}
[[gnu::always_inline]] inline Half crossed4(Half x) {
    return __builtin_shufflevector(x, x, 4, 5, 6, 7, 0, 1, 2, 3, 12, 13, 14, 15, 8, 9, 10, 11);
}
[[gnu::always_inline]] inline Half crossed2(Half x) {
    return __builtin_shufflevector(x, x, 2, 3, 0, 1, 6, 7, 4, 5, 10, 11, 8, 9, 14, 15, 12, 13);
}
[[gnu::always_inline]] inline Half crossed1(Half x) {
    return __builtin_shufflevector(x, x, 1, 0, 3, 2, 5, 4, 7, 6, 9, 8, 11, 10, 13, 12, 15, 14);
}
// One lane of a pair becomes their sum, the other their difference.
[[gnu::always_inline]] inline Half mixed16(Half x) {
    constexpr Half far{1, 1, 1, 1, 1, 1, 1, 1, -1, -1, -1, -1, -1, -1, -1, -1},
        half{1, 1, 1, 1, -1, -1, -1, -1, 1, 1, 1, 1, -1, -1, -1, -1},
        near{1, 1, -1, -1, 1, 1, -1, -1, 1, 1, -1, -1, 1, 1, -1, -1},
        next{1, -1, 1, -1, 1, -1, 1, -1, 1, -1, 1, -1, 1, -1, 1, -1};
    x = crossed8(x) + far * x;
    x = crossed4(x) + half * x;
    x = crossed2(x) + near * x;
    return crossed1(x) + next * x;
}
// Hadamard matrix of 32, scaled to keep the energy.
[[gnu::always_inline]] inline void hadamard(Half& a, Half& b) {
    constexpr float scale = 0.176776695F;  // 1 / sqrt(32)
    const Half sum = mixed16(a + b), difference = mixed16(a - b);
    a = scale * sum;
    b = scale * difference;
}
[[gnu::always_inline]] inline float sumOf(Half x) {
    x += crossed8(x);
    x += crossed4(x);
    x += crossed2(x);
    x += crossed1(x);
    return x[0];
}

// The filters of all lines, and by how much they move in a frame.
struct Round {
    float *filter[6], *level;
    const float* step[6];
    float stepLevel;
    float *lowState, *highState;
};

// A block through all lines: damped, given out, mixed, fed. For its first `ramp` frames the filters
// move.
EMBER_CLONES void goRound(const Round& r, float* work, const float* left, const float* right,
                          float* wetLeft, float* wetRight, int frames, int ramp) {
    alignas(64) float signs[4][Reverb::kLines] = {};
    for (int i = 0; i < Reverb::kLines; ++i) {
        // Even lines are heard left and fed by the left, odd ones right.
        signs[i % 2][i] = 0.25F * signOf(i, kIn);
        signs[2 + i % 2][i] = signOf(i, kOut);
    }
    Half f[6][2], s[6][2], low[2], high[2], inLeft[2], inRight[2], outLeft[2], outRight[2];
    for (int h = 0; h < 2; ++h) {
        for (int k = 0; k < 6; ++k) {
            f[k][h] = load(r.filter[k] + 16 * h);
            s[k][h] = load(r.step[k] + 16 * h);
        }
        low[h] = load(r.lowState + 16 * h);
        high[h] = load(r.highState + 16 * h);
        inLeft[h] = load(signs[0] + 16 * h);
        inRight[h] = load(signs[1] + 16 * h);
        outLeft[h] = load(signs[2] + 16 * h);
        outRight[h] = load(signs[3] + 16 * h);
    }
    float level = *r.level;
    for (int n = 0; n < frames; ++n) {
        if (n < ramp) {
            for (int k = 0; k < 6; ++k) {
                f[k][0] += s[k][0];
                f[k][1] += s[k][1];
            }
            level += r.stepLevel;
        }
        float* at = work + n * Reverb::kLines;
        Half x[2];
        for (int h = 0; h < 2; ++h) {
            const Half in = load(at + 16 * h), y = f[0][h] * in + low[h];
            low[h] = f[1][h] * in - f[2][h] * y;
            x[h] = f[3][h] * y + high[h];
            high[h] = f[4][h] * y - f[5][h] * x[h];
        }
        wetLeft[n] += level * sumOf(outLeft[0] * x[0] + outLeft[1] * x[1]);
        wetRight[n] += level * sumOf(outRight[0] * x[0] + outRight[1] * x[1]);
        hadamard(x[0], x[1]);
        for (int h = 0; h < 2; ++h)
            store(at + 16 * h, x[h] + inLeft[h] * left[n] + inRight[h] * right[n]);
    }
    for (int h = 0; h < 2; ++h) {
        for (int k = 0; k < 6; ++k) store(r.filter[k] + 16 * h, f[k][h]);
        store(r.lowState + 16 * h, low[h]);
        store(r.highState + 16 * h, high[h]);
    }
    *r.level = level;
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
            line.readMoving(out, frames, first, last);
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
    goRound({{now_.low0.data(), now_.low1.data(), now_.lowA.data(), now_.high0.data(),
              now_.high1.data(), now_.highA.data()},
             &now_.level,
             {step_.low0.data(), step_.low1.data(), step_.lowA.data(), step_.high0.data(),
              step_.high1.data(), step_.highA.data()},
             step_.level,
             lowState_.data(),
             highState_.data()},
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
    float give[kBlock];
    for (int i = 0; i < frames; ++i)
        give[i] = give_.next(std::max(std::abs(in[0][i]), std::abs(in[1][i])));
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
            float x = give[i] * wet[c][i];
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
    reading_ = {0.0F, static_cast<float>(dbFromGain(static_cast<double>(give_.gain())))};
}

}  // namespace ember
