#include "core/dsp/oversampler.h"

#include "core/dsp/convolve.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kStopDb = 138.0;
// What is kept of the octave above the signal's own, by stage: 0.45 of the lowest rate.
constexpr std::array<double, 3> kPasses{0.225, 0.1125, 0.05625};

}  // namespace

HalfBand::HalfBand(double passes) {
    const double width = 0.5 - 2.0 * passes;
    const double wanted = (kStopDb - 8.0) / (2.285 * 2.0 * std::numbers::pi * width);
    half_ = static_cast<int>(std::ceil((wanted - 2.0) / 4.0));
    const int length = 4 * half_ + 3, middle = 2 * half_ + 1;
    const double beta = 0.1102 * (kStopDb - 8.7), norm = std::cyl_bessel_i(0.0, beta);
    std::vector<double> taps;
    double sum = 0.0;
    for (int i = 0; i < length; i += 2) {
        const double t = i - middle, x = 2.0 * t / (length - 1);
        const double window =
            std::cyl_bessel_i(0.0, beta * std::sqrt(std::max(0.0, 1.0 - x * x))) / norm;
        taps.push_back(std::sin(0.5 * std::numbers::pi * t) / (std::numbers::pi * t) * window);
        sum += taps.back();
    }
    // The even taps carry exactly half of a steady signal, the middle one the other half.
    for (const double t : taps) taps_.push_back(static_cast<float>(0.5 * t / sum));
    const auto history = taps_.size() - 1;
    upLine_.assign(history + kMost, 0.0F);
    evenLine_.assign(history + kMost, 0.0F);
    oddLine_.assign(static_cast<std::size_t>(half_) + 1 + kMost, 0.0F);
}

void HalfBand::reset() {
    for (auto* line : {&upLine_, &evenLine_, &oddLine_})
        std::fill(line->begin(), line->end(), 0.0F);
}

void HalfBand::up(const float* in, int n, float* out) {
    const auto history = static_cast<int>(taps_.size()) - 1;
    std::copy_n(in, n, upLine_.begin() + history);
    convolve(upLine_.data(), taps_, n, out, 2);
    for (int k = 0; k < n; ++k) {
        out[2 * k] *= 2.0F;
        out[2 * k + 1] = upLine_[static_cast<std::size_t>(history + k - half_)];
    }
    std::copy_n(upLine_.begin() + n, history, upLine_.begin());
}

void HalfBand::down(const float* in, int n, float* out) {
    const auto history = static_cast<int>(taps_.size()) - 1;
    float *even = evenLine_.data() + history, *odd = oddLine_.data() + half_ + 1;
    for (int k = 0; k < n; ++k) {
        even[k] = in[2 * k];
        odd[k] = in[2 * k + 1];
    }
    convolve(evenLine_.data(), taps_, n, out);
    for (int k = 0; k < n; ++k) out[k] += 0.5F * oddLine_[static_cast<std::size_t>(k)];
    std::copy_n(evenLine_.begin() + n, history, evenLine_.begin());
    std::copy_n(oddLine_.begin() + n, half_ + 1, oddLine_.begin());
}

Oversampler::Channel::Channel()
    : stage{HalfBand(kPasses[0]), HalfBand(kPasses[1]), HalfBand(kPasses[2])},
      twice(2 * kBlock),
      fourTimes(4 * kBlock),
      eightTimes(kFactor * kBlock) {
    const int delay = 8 * stage[0].delay() + 4 * stage[1].delay() + 2 * stage[2].delay();
    pad.assign(static_cast<std::size_t>((kFactor - delay % kFactor) % kFactor), 0.0F);
}

Oversampler::Oversampler(int channels) : channel_(static_cast<std::size_t>(channels)) {
    const Channel& c = channel_.front();
    const int delay = 8 * c.stage[0].delay() + 4 * c.stage[1].delay() + 2 * c.stage[2].delay() +
                      static_cast<int>(c.pad.size());
    latency_ = delay / kFactor;
}

void Oversampler::reset() {
    for (Channel& c : channel_) {
        for (HalfBand& s : c.stage) s.reset();
        std::fill(c.pad.begin(), c.pad.end(), 0.0F);
    }
}

std::span<float> Oversampler::up(int channel, const float* in, int frames) {
    Channel& c = channel_[static_cast<std::size_t>(channel)];
    c.stage[0].up(in, frames, c.twice.data());
    c.stage[1].up(c.twice.data(), 2 * frames, c.fourTimes.data());
    c.stage[2].up(c.fourTimes.data(), 4 * frames, c.eightTimes.data());
    return {c.eightTimes.data(), static_cast<std::size_t>(kFactor * frames)};
}

void Oversampler::down(int channel, float* out, int frames) {
    Channel& c = channel_[static_cast<std::size_t>(channel)];
    const std::size_t count = kFactor * static_cast<std::size_t>(frames);
    // The pad is shorter than a frame: what stands at the end waits for the next call.
    const std::size_t held = c.pad.size();
    std::array<float, kFactor> next{};
    std::copy_n(c.eightTimes.begin() + static_cast<std::ptrdiff_t>(count - held), held,
                next.begin());
    std::copy_backward(c.eightTimes.begin(),
                       c.eightTimes.begin() + static_cast<std::ptrdiff_t>(count - held),
                       c.eightTimes.begin() + static_cast<std::ptrdiff_t>(count));
    std::copy(c.pad.begin(), c.pad.end(), c.eightTimes.begin());
    std::copy_n(next.begin(), held, c.pad.begin());
    c.stage[2].down(c.eightTimes.data(), 4 * frames, c.fourTimes.data());
    c.stage[1].down(c.fourTimes.data(), 2 * frames, c.twice.data());
    c.stage[0].down(c.twice.data(), frames, out);
}

}  // namespace ember
