#include "core/dsp/limiter.h"

#include "core/base/units.h"
#include "core/dsp/convolve.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kLookAheadMs = 2.0;
// What lies between the points that are read, and what the moving gain adds, is kept in hand.
constexpr double kInHandDb = 0.05;

const std::vector<Parameter>& limiterTable() {
    static const std::vector<Parameter> table{
        {"drive", "Drive", Unit::dB, 0.0, 24.0, 0.0, Scale::linear, "Gain before the ceiling.", {}},
        {"ceiling",
         "Ceiling",
         Unit::dB,
         -24.0,
         0.0,
         -1.0,
         Scale::linear,
         "True peak that is never exceeded, between the samples too.",
         {}},
        {"release",
         "Release",
         Unit::milliseconds,
         5.0,
         1000.0,
         80.0,
         Scale::logarithmic,
         "Time to give back 63 %. Short is loud and can buzz in the lows.",
         {}},
        {"output",
         "Output",
         Unit::dB,
         -24.0,
         0.0,
         0.0,
         Scale::linear,
         "Gain after the ceiling, to match the level before judging.",
         {}},
    };
    return table;
}

}  // namespace

ProcessorType limiterType() {
    return {
        "limiter",
        "Limiter",
        Column::dynamics,
        false,
        "A ceiling for true peaks, for buses and what leaves the house.",
        "Running minimum under a smooth window; true peak after ITU-R BS.1770-4, annex 2.",
        limiterTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Limiter>(spec, values);
        }};
}

Limiter::Limiter(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    // The meter's kernel reaches twice as far from 96 kHz on.
    half_ = spec.sampleRate < 96000.0 ? 6 : 12;
    for (int p = 1; p < kPhases; ++p) {
        for (int k = 1 - half_; k <= half_; ++k) {
            const double t = static_cast<double>(p) / kPhases - k;
            kernel_[static_cast<std::size_t>(p)].push_back(
                static_cast<float>(std::sin(std::numbers::pi * t) / (std::numbers::pi * t) *
                                   (0.5 + 0.5 * std::cos(std::numbers::pi * t / half_))));
        }
    }
    for (auto& past : past_) past.assign(2 * static_cast<std::size_t>(half_) - 1 + kBlock, 0.0F);
    window_ =
        std::max(8, static_cast<int>(std::lround(framesFromMs(kLookAheadMs, spec.sampleRate))));
    delay_.prepare(spec.channels, half_ + window_);
    queue_.resize(2 * static_cast<std::size_t>(window_) + 8);
    held_.assign(static_cast<std::size_t>(window_) - 1 + kBlock, 1.0F);
    double sum = 0.0;
    for (int i = 0; i < window_; ++i) {
        shape_.push_back(
            static_cast<float>(0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * (i + 0.5) / window_)));
        sum += static_cast<double>(shape_.back());
    }
    for (float& v : shape_) v = static_cast<float>(static_cast<double>(v) / sum);
    for (Smoother* s : {&drive_, &ceiling_, &output_}) s->prepare(spec.sampleRate);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    Limiter::reset();
}

void Limiter::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    if (index == drive) drive_.aim(gainFromDb(value));
    if (index == ceiling) ceiling_.aim(gainFromDb(value - kInHandDb));
    if (index == output) output_.aim(gainFromDb(value));
}

void Limiter::reset() {
    for (auto& past : past_) std::fill(past.begin(), past.end(), 0.0F);
    delay_.reset();
    for (Smoother* s : {&drive_, &ceiling_, &output_}) s->jump(s->target());
    std::fill(held_.begin(), held_.end(), 1.0F);
    head_ = tail_ = 0;
    place_ = 0;
    releasing_ = 0.0;
}

// The least gain asked for within the last `window_ + 2` frames: a crest between two samples
// belongs to both.
float Limiter::lowest(float wanted) {
    const std::size_t size = queue_.size();
    const auto before = [size](std::size_t at) { return (at + size - 1) % size; };
    while (head_ != tail_ && queue_[before(tail_)].second >= wanted) tail_ = before(tail_);
    queue_[tail_] = {place_, wanted};
    tail_ = (tail_ + 1) % size;
    while (queue_[head_].first < place_ - window_ - 1) head_ = (head_ + 1) % size;
    ++place_;
    return queue_[head_].second;
}

// For every frame the largest magnitude between the sample `half_` frames back and the one after
// it.
void Limiter::readPeaks(const AudioBlock& io, float* peaks) {
    const auto history = static_cast<std::size_t>(2 * half_ - 1);
    for (int c = 0; c < io.channels; ++c) {
        std::vector<float>& past = past_[static_cast<std::size_t>(c)];
        std::copy_n(io.channel[c], io.frames, past.begin() + static_cast<std::ptrdiff_t>(history));
        const float* middle = past.data() + half_ - 1;
        for (int i = 0; i < io.frames; ++i) peaks[i] = std::max(peaks[i], std::abs(middle[i]));
        float between[kBlock];
        for (std::size_t p = 1; p < kPhases; ++p) {
            convolve(past.data(), kernel_[p], io.frames, between);
            for (int i = 0; i < io.frames; ++i) peaks[i] = std::max(peaks[i], std::abs(between[i]));
        }
        std::copy_n(past.begin() + io.frames, history, past.begin());
    }
}

void Limiter::process(const AudioBlock& io, const AudioBlock&) {
    float peaks[kBlock] = {};
    float loudest = 0.0F, least = 1.0F;
    for (int i = 0; i < io.frames; ++i) {
        const auto push = static_cast<float>(drive_.next());
        for (int c = 0; c < io.channels; ++c) io.channel[c][i] *= push;
    }
    readPeaks(io, peaks);
    const auto history = static_cast<std::size_t>(window_) - 1;
    const double back = std::exp(-1000.0 / (values_[release] * spec_.sampleRate));
    for (int i = 0; i < io.frames; ++i) {
        loudest = std::max(loudest, peaks[i]);
        const double top = ceiling_.next();
        const double asked =
            static_cast<double>(peaks[i]) > top ? top / static_cast<double>(peaks[i]) : 1.0;
        // Down at once, up at the release time; then held and rounded.
        releasing_ = std::min(dbFromGain(asked), releasing_ * back);
        held_[history + static_cast<std::size_t>(i)] =
            lowest(static_cast<float>(gainFromDb(releasing_)));
    }
    convolve(held_.data(), shape_, io.frames, gains_);
    std::copy_n(held_.begin() + io.frames, history, held_.begin());
    for (int i = 0; i < io.frames; ++i) {
        least = std::min(least, gains_[i]);
        gains_[i] = std::min(gains_[i], 1.0F) * static_cast<float>(output_.next());
    }
    reading_ = {loudest, static_cast<float>(dbFromGain(static_cast<double>(least)))};
    delay_.process(io);
    for (int c = 0; c < io.channels; ++c) {
        for (int i = 0; i < io.frames; ++i) io.channel[c][i] *= gains_[i];
    }
}

void Limiter::replay(const AudioBlock& io, const Processor& master) {
    const auto& m = static_cast<const Limiter&>(master);
    const auto push = static_cast<float>(drive_.value());
    delay_.process(io);
    for (int c = 0; c < io.channels; ++c) {
        for (int i = 0; i < io.frames; ++i) io.channel[c][i] *= push * m.gains_[i];
    }
}

}  // namespace ember
