#include "core/dsp/exciter.h"

#include "core/base/units.h"
#include "core/dsp/fast_math.h"
#include "core/dsp/simd.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr float kBias = 0.35F;

const std::vector<Parameter>& exciterTable() {
    static const std::vector<Parameter> table{
        {"lows",
         "Lows",
         Unit::percent,
         0.0,
         100.0,
         0.0,
         Scale::linear,
         "Harmonics of what lies under the low corner: weight that small speakers can play.",
         {}},
        {"low-corner",
         "Low corner",
         Unit::hertz,
         40.0,
         400.0,
         110.0,
         Scale::logarithmic,
         "Harmonics are made of what lies below, and heard above.",
         {}},
        {"highs",
         "Highs",
         Unit::percent,
         0.0,
         100.0,
         0.0,
         Scale::linear,
         "Harmonics of what lies over the high corner: air and attack after heavy cutting.",
         {}},
        {"high-corner",
         "High corner",
         Unit::hertz,
         1000.0,
         10000.0,
         3500.0,
         Scale::logarithmic,
         "Harmonics are made of what lies above.",
         {}},
        {"push",
         "Push",
         Unit::dB,
         0.0,
         30.0,
         12.0,
         Scale::linear,
         "How hard both bands are bent before what is new is kept.",
         {}},
    };
    return table;
}

// What the curve adds to its own input, which is new; eight fast samples a frame. The curve runs in
// a loop of its own, which the compiler turns into vectors.
EMBER_CLONES void bendAdded(float* fast, const float* pushes, float bias, int frames) {
    constexpr int kFactor = Oversampler::kFactor;
    const float rest = fastTanh(bias), slope = 1.0F - rest * rest;
    for (int f = 0; f < frames; ++f) {
        for (int k = 0; k < kFactor; ++k) fast[f * kFactor + k] *= pushes[f];
    }
    for (int i = 0; i < kFactor * frames; ++i)
        fast[i] = (fastTanh(fast[i] + bias) - rest) / slope - fast[i];
    for (int f = 0; f < frames; ++f) {
        for (int k = 0; k < kFactor; ++k) fast[f * kFactor + k] /= pushes[f];
    }
}

}  // namespace

ProcessorType exciterType() {
    return {
        "exciter",
        "Exciter",
        Column::colour,
        false,
        "Adds harmonics to lows and highs apart; gives back what cutting took.",
        "Harmonics of bands bent by tanh at eight times the rate.",
        exciterTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Exciter>(spec, values);
        }};
}

Exciter::Exciter(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec),
      values_(values.begin(), values.end()),
      lowSampler_(spec.channels),
      highSampler_(spec.channels),
      channel_(static_cast<std::size_t>(spec.channels)) {
    delay_.prepare(spec.channels, lowSampler_.latency());
    for (Smoother* s : {&lows_, &highs_, &push_}) s->prepare(spec.sampleRate);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    Exciter::reset();
}

void Exciter::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    switch (index) {
        case lows:
            lows_.aim(value / 100.0);
            break;
        case highs:
            highs_.aim(value / 100.0);
            break;
        case push:
            push_.aim(gainFromDb(value));
            break;
        case lowCorner:
            for (Channel& c : channel_) {
                c.low.set(BandSplit::kLowest, value, spec_.sampleRate);
                c.addedLow.set(value, BandSplit::kHighest, spec_.sampleRate);
            }
            break;
        case highCorner:
            for (Channel& c : channel_) {
                c.high.set(value, BandSplit::kHighest, spec_.sampleRate);
                c.addedHigh.set(value, BandSplit::kHighest, spec_.sampleRate);
            }
            break;
        default:
            break;
    }
}

void Exciter::reset() {
    lowSampler_.reset();
    highSampler_.reset();
    delay_.reset();
    for (Channel& c : channel_) {
        for (BandSplit* b : {&c.low, &c.high, &c.addedLow, &c.addedHigh}) b->reset();
    }
    for (Smoother* s : {&lows_, &highs_, &push_}) s->jump(s->target());
}

void Exciter::process(const AudioBlock& io, const AudioBlock&) {
    double low[kBlock], high[kBlock];
    float pushes[kBlock];
    for (int i = 0; i < io.frames; ++i) {
        low[i] = lows_.next();
        high[i] = highs_.next();
        pushes[i] = static_cast<float>(push_.next());
    }
    float addLow[kBlock], addHigh[kBlock], added[2][kBlock];
    float loudest = 0.0F;
    for (int ch = 0; ch < io.channels; ++ch) {
        Channel& c = channel_[static_cast<std::size_t>(ch)];
        for (int i = 0; i < io.frames; ++i) {
            const double x = io.channel[ch][i];
            loudest = std::max(loudest, std::abs(io.channel[ch][i]));
            addLow[i] = static_cast<float>(c.low.next(x));
            addHigh[i] = static_cast<float>(c.high.next(x));
        }
        const auto bend = [&](Oversampler& sampler, float* block, float bias) {
            const std::span<float> fast = sampler.up(ch, block, io.frames);
            bendAdded(fast.data(), pushes, bias, io.frames);
            sampler.down(ch, block, io.frames);
        };
        bend(lowSampler_, addLow, 0.0F);
        bend(highSampler_, addHigh, kBias);
        for (int i = 0; i < io.frames; ++i)
            added[ch][i] = static_cast<float>(low[i] * c.addedLow.next(addLow[i]) +
                                              high[i] * c.addedHigh.next(addHigh[i]));
    }
    delay_.process(io);
    for (int ch = 0; ch < io.channels; ++ch) {
        for (int i = 0; i < io.frames; ++i) io.channel[ch][i] += added[ch][i];
    }
    reading_ = {loudest, 0.0F};
}

}  // namespace ember
