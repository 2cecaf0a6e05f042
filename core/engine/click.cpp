#include "core/engine/click.h"

#include "core/dsp/processor.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kLevel = 0.25;        // peak, before the monitor
constexpr double kFallSeconds = 0.01;  // to a third
constexpr double kFirstHz = 1760.0, kOtherHz = 1175.0;
constexpr double kOver = 1e-4;  // nothing is heard of it any more
constexpr int kBarsBefore = 2;

}  // namespace

std::vector<Beat> beatsOf(const TimeMap& time, double sampleRate, Frames until) {
    std::vector<Beat> out;
    for (int bar = barAt(time, 0.0) - kBarsBefore;; ++bar) {
        const int beats = metreAt(time, bar).beats;
        for (int beat = 0; beat < beats; ++beat) {
            const double seconds = secondsAt(time, BarPlace{bar, static_cast<double>(beat)});
            const auto at = static_cast<Frames>(std::llround(seconds * sampleRate));
            if (at > until) return out;
            out.push_back({at, beat == 0});
        }
    }
}

void Click::prepare(double sampleRate) {
    rate_ = sampleRate;
    fall_ = std::exp(-1.0 / (kFallSeconds * sampleRate));
    level_ = 0.0;
}

void Click::strike(bool first) {
    phase_ = 0.0;
    step_ = 2.0 * std::numbers::pi * (first ? kFirstHz : kOtherHz) / rate_;
    level_ = kLevel;
}

void Click::sound(float* left, float* right, int from) {
    for (int i = from; i < kBlock && level_ > kOver; ++i) {
        const auto x = static_cast<float>(level_ * std::sin(phase_));
        left[i] += x;
        right[i] += x;
        phase_ += step_;
        level_ *= fall_;
    }
}

void Click::add(std::span<const Beat> beats, Frames heard, float* left, float* right) {
    const auto beat = std::lower_bound(beats.begin(), beats.end(), heard,
                                       [](const Beat& b, Frames at) { return b.at < at; });
    // No two beats lie within a block.
    if (beat == beats.end() || beat->at >= heard + kBlock) return sound(left, right, 0);
    strike(beat->first);
    sound(left, right, static_cast<int>(beat->at - heard));
}

void Click::ring(float* left, float* right) {
    sound(left, right, 0);
}

}  // namespace ember
