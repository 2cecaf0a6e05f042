#include "core/dsp/saturation.h"

#include "core/base/units.h"
#include "core/dsp/fast_math.h"
#include "core/dsp/simd.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kEmphasisHertz = 4000.0, kEmphasis = 2.0;  // treble of tape: 6 dB
constexpr double kBumpHertz = 80.0, kBumpQ = 0.8;
constexpr double kTiltHertz = 900.0;
constexpr double kDirectHertz = 5.0;
const std::vector<Parameter>& saturationTable() {
    static const std::vector<Parameter> table{
        {"drive",
         "Drive",
         Unit::dB,
         0.0,
         36.0,
         6.0,
         Scale::linear,
         "How hard the wave is pushed into the curve. Push until it is too much, then mix back.",
         {}},
        {"curve",
         "Curve",
         Unit::none,
         0.0,
         3.0,
         0.0,
         Scale::choice,
         "warm bends smoothly, round early and long, tape takes the treble first, firm stays clean "
         "until late.",
         {"warm", "round", "tape", "firm"}},
        {"even",
         "Even harmonics",
         Unit::percent,
         -100.0,
         100.0,
         0.0,
         Scale::linear,
         "Moves the curve off its middle: even harmonics beside the odd ones, thicker.",
         {}},
        {"from",
         "From",
         Unit::hertz,
         20.0,
         12000.0,
         20.0,
         Scale::logarithmic,
         "Only what lies above is bent; the rest passes untouched.",
         {}},
        {"to",
         "To",
         Unit::hertz,
         100.0,
         20000.0,
         20000.0,
         Scale::logarithmic,
         "Only what lies below is bent; the rest passes untouched. Keeps cymbals from turning "
         "harsh.",
         {}},
        {"tone",
         "Tone",
         Unit::dB,
         -9.0,
         9.0,
         0.0,
         Scale::linear,
         "Tilts what was bent: darker below zero, brighter above.",
         {}},
        {"bump",
         "Head bump",
         Unit::dB,
         0.0,
         6.0,
         0.0,
         Scale::linear,
         "Lifts the low end around 80 Hz, as tape does.",
         {}},
        {"match-level",
         "Match level",
         Unit::none,
         0.0,
         1.0,
         1.0,
         Scale::toggle,
         "Keeps the loudness of what goes in, over some seconds: curves can be compared fairly.",
         {}},
        {"output",
         "Output",
         Unit::dB,
         -24.0,
         12.0,
         0.0,
         Scale::linear,
         "Gain at the end, so that the next stage gets the level it had.",
         {}},
        {"mix",
         "Mix",
         Unit::percent,
         0.0,
         100.0,
         100.0,
         Scale::linear,
         "Share of the bent signal; the rest is the untouched one, in time with it.",
         {}},
    };
    return table;
}

// x / (1 + x^4)^(1/4): clean for long, then level.
inline float firm(float x) {
    const float x2 = x * x;
    return x / std::sqrt(std::sqrt(1.0F + x2 * x2));
}

inline float roundCurve(float x) {
    return 0.636619772F * fastAtan(1.57079633F * x);
}

// Eight fast samples a frame, each with its frame's bias and what the curve makes of that. The
// curve runs in a loop of its own, which the compiler turns into vectors.
template <float (*curve)(float)>
[[gnu::always_inline]] inline void bendAll(float* x, const float* bias, int frames) {
    constexpr int kFactor = Oversampler::kFactor;
    float rest[kBlock];
    for (int f = 0; f < frames; ++f) rest[f] = curve(bias[f]);
    for (int f = 0; f < frames; ++f) {
        for (int k = 0; k < kFactor; ++k) x[f * kFactor + k] += bias[f];
    }
    for (int i = 0; i < kFactor * frames; ++i) x[i] = curve(x[i]);
    for (int f = 0; f < frames; ++f) {
        for (int k = 0; k < kFactor; ++k) x[f * kFactor + k] -= rest[f];
    }
}

EMBER_CLONES void bendWarm(float* x, const float* bias, int frames) {
    bendAll<fastTanh>(x, bias, frames);
}
EMBER_CLONES void bendRound(float* x, const float* bias, int frames) {
    bendAll<roundCurve>(x, bias, frames);
}
EMBER_CLONES void bendFirm(float* x, const float* bias, int frames) {
    bendAll<firm>(x, bias, frames);
}

double coefficient(double hertz, double rate) {
    return 1.0 - std::exp(-2.0 * std::numbers::pi * hertz / rate);
}

}  // namespace

double saturate(SaturationCurve curve, double x) {
    const auto v = static_cast<float>(x);
    switch (curve) {
        case SaturationCurve::round:
            return static_cast<double>(roundCurve(v));
        case SaturationCurve::firm:
            return static_cast<double>(firm(v));
        case SaturationCurve::warm:
        case SaturationCurve::tape:
            break;
    }
    return static_cast<double>(fastTanh(v));
}

ProcessorType saturationType() {
    return {
        "saturation",
        "Saturation",
        Column::colour,
        false,
        "Bends the wave for density and colour; the level stays what it was.",
        "Waveshaping at eight times the rate, Kaiser half-band filters (Kaiser, ISCAS 1974); level "
        "match after ITU-R BS.1770-4.",
        saturationTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Saturation>(spec, values);
        }};
}

Saturation::Saturation(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec),
      values_(values.begin(), values.end()),
      oversampler_(spec.channels),
      channel_(static_cast<std::size_t>(spec.channels)) {
    dryDelay_.prepare(spec.channels, oversampler_.latency());
    restDelay_.prepare(spec.channels, oversampler_.latency());
    for (Smoother* s : {&drive_, &bias_, &mix_, &output_, &tone_, &bump_, &blend_, &direct_})
        s->prepare(spec.sampleRate);
    match_.prepare(spec.sampleRate, 20.0);
    loudness_.prepare(spec.sampleRate);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    Saturation::reset();
}

void Saturation::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    switch (index) {
        case drive:
            drive_.aim(gainFromDb(value));
            break;
        case curve: {
            const auto next = static_cast<SaturationCurve>(std::lround(value));
            if (next == curve_) break;
            // The new curve fades in over the old one.
            oldCurve_ = curve_;
            curve_ = next;
            blend_.jump(0.0);
            blend_.aim(1.0);
            break;
        }
        case even:
            bias_.aim(value / 100.0);
            direct_.aim(value != 0.0 ? 1.0 : 0.0);
            break;
        case from:
        case to:
            for (Channel& c : channel_)
                c.split.set(values_[from], std::max(values_[to], 1.2 * values_[from]),
                            spec_.sampleRate);
            break;
        case tone:
            tone_.aim(value);
            break;
        case bump:
            bump_.aim(gainFromDb(value) - 1.0);
            break;
        case output:
            output_.aim(gainFromDb(value));
            break;
        case mix:
            mix_.aim(value / 100.0);
            break;
        default:
            break;
    }
}

void Saturation::reset() {
    oversampler_.reset();
    dryDelay_.reset();
    restDelay_.reset();
    for (Channel& c : channel_) {
        c.split.reset();
        c.before = c.after = {};
        c.direct = c.tiltLow = c.bumpFirst = c.bumpSecond = 0.0;
    }
    for (Smoother* s : {&drive_, &bias_, &mix_, &output_, &tone_, &bump_, &direct_})
        s->jump(s->target());
    blend_.jump(1.0);
    oldCurve_ = curve_;
    loudness_.reset();
    // Until something is known: what a sine at -20 dBFS would need.
    const double level = gainFromDb(-20.0) * drive_.value();
    match_.jump(values_[matchLevel] >= 0.5 ? gainFromDb(-20.0) / saturate(curve_, level)
                                           : 1.0 / drive_.value());
}

void Saturation::shape(SaturationCurve which, float* x, const float* bias, int frames,
                       Channel& c) const {
    if (which == SaturationCurve::round) return bendRound(x, bias, frames);
    if (which == SaturationCurve::firm) return bendFirm(x, bias, frames);
    if (which == SaturationCurve::warm) return bendWarm(x, bias, frames);
    // Shelf (s + z) / (s + p) with p = emphasis * z: 0 dB below, raised above, by bilinear
    // transform far below the fast rate; after the curve the same with its ends exchanged.
    const double rate = spec_.sampleRate * Oversampler::kFactor;
    const double z = std::tan(std::numbers::pi * kEmphasisHertz / rate), p = kEmphasis * z;
    const double b0 = kEmphasis * (1.0 + z) / (1.0 + p), b1 = kEmphasis * (z - 1.0) / (1.0 + p),
                 a1 = (p - 1.0) / (1.0 + p);
    const int count = frames * Oversampler::kFactor;
    for (int i = 0; i < count; ++i) {
        const double v = x[i], raised = b0 * v + b1 * c.before.x1 - a1 * c.before.y1;
        c.before = {v, raised};
        x[i] = static_cast<float>(raised);
    }
    bendWarm(x, bias, frames);
    for (int i = 0; i < count; ++i) {
        const double v = x[i], lowered = (v + a1 * c.after.x1 - b1 * c.after.y1) / b0;
        c.after = {v, lowered};
        x[i] = static_cast<float>(lowered);
    }
}

void Saturation::bend(std::span<float> fast, int channel, const double* drives,
                      const double* biases) {
    Channel& c = channel_[static_cast<std::size_t>(channel)];
    const auto frames = static_cast<int>(fast.size()) / Oversampler::kFactor;
    float bias[kBlock], old[kBlock * Oversampler::kFactor];
    for (int f = 0; f < frames; ++f) {
        bias[f] = static_cast<float>(0.6 * biases[f]);
        const auto push = static_cast<float>(drives[f]);
        float* frame = fast.data() + f * Oversampler::kFactor;
        for (int k = 0; k < Oversampler::kFactor; ++k) frame[k] *= push;
    }
    const auto blend = static_cast<float>(blend_.value());
    if (blend < 1.0F) std::copy(fast.begin(), fast.end(), old);
    shape(curve_, fast.data(), bias, frames, c);
    if (blend >= 1.0F) return;
    shape(oldCurve_, old, bias, frames, c);
    for (std::size_t i = 0; i < fast.size(); ++i) fast[i] = old[i] + blend * (fast[i] - old[i]);
}

void Saturation::process(const AudioBlock& io, const AudioBlock&) {
    double drives[kBlock], biases[kBlock], mixes[kBlock], outputs[kBlock], tilts[kBlock],
        bumps[kBlock], taken[kBlock];
    for (int i = 0; i < io.frames; ++i) {
        drives[i] = drive_.next();
        biases[i] = bias_.next();
        mixes[i] = mix_.next();
        outputs[i] = output_.next();
        tilts[i] = tone_.next();
        bumps[i] = bump_.next();
        taken[i] = direct_.next();
        blend_.next();
    }
    float dry[2][kBlock], rest[2][kBlock];
    float loudest = 0.0F;
    for (int ch = 0; ch < io.channels; ++ch) {
        Channel& c = channel_[static_cast<std::size_t>(ch)];
        float* x = io.channel[ch];
        std::copy_n(x, io.frames, dry[ch]);
        for (int i = 0; i < io.frames; ++i) {
            const double band = c.split.whole() ? x[i] : c.split.next(x[i]);
            rest[ch][i] = static_cast<float>(static_cast<double>(x[i]) - band);
            x[i] = static_cast<float>(band);
            loudest = std::max(loudest, std::abs(x[i]));
        }
    }
    dryDelay_.process({{dry[0], dry[1]}, io.channels, io.frames});
    restDelay_.process({{rest[0], rest[1]}, io.channels, io.frames});
    const double direct = coefficient(kDirectHertz, spec_.sampleRate),
                 low = coefficient(kTiltHertz, spec_.sampleRate);
    const double g = std::tan(std::numbers::pi * kBumpHertz / spec_.sampleRate), k = 1.0 / kBumpQ,
                 norm = 1.0 / (1.0 + g * (k + g));
    for (int ch = 0; ch < io.channels; ++ch) {
        Channel& c = channel_[static_cast<std::size_t>(ch)];
        float* x = io.channel[ch];
        bend(oversampler_.up(ch, x, io.frames), ch, drives, biases);
        oversampler_.down(ch, x, io.frames);
        for (int i = 0; i < io.frames; ++i) {
            double y = x[i];
            c.direct += direct * (y - c.direct);
            y -= taken[i] * c.direct;
            c.tiltLow += low * (y - c.tiltLow);
            if (tilts[i] != 0.0)
                y = c.tiltLow * gainFromDb(-0.5 * tilts[i]) +
                    (y - c.tiltLow) * gainFromDb(0.5 * tilts[i]);
            const double high = (y - (k + g) * c.bumpFirst - c.bumpSecond) * norm,
                         band = g * high + c.bumpFirst, base = g * band + c.bumpSecond;
            c.bumpFirst = g * high + band;
            c.bumpSecond = g * band + base;
            y += bumps[i] * k * band;
            x[i] = static_cast<float>(y);
        }
    }
    // Only what is bent is compared; the rest is the same before and after.
    for (int i = 0; i < io.frames; ++i) {
        for (int ch = 0; ch < io.channels; ++ch)
            loudness_.add(ch, static_cast<double>(dry[ch][i]) - static_cast<double>(rest[ch][i]),
                          io.channel[ch][i]);
        if (loudness_.endFrame() && values_[matchLevel] >= 0.5) match_.aim(loudness_.gain());
    }
    if (values_[matchLevel] < 0.5) match_.aim(1.0 / drive_.value());
    double matches[kBlock];
    for (int i = 0; i < io.frames; ++i) matches[i] = match_.next();
    for (int ch = 0; ch < io.channels; ++ch) {
        float* x = io.channel[ch];
        for (int i = 0; i < io.frames; ++i) {
            const double wet = outputs[i] * (matches[i] * static_cast<double>(x[i]) +
                                             static_cast<double>(rest[ch][i]));
            x[i] = static_cast<float>(wet * mixes[i] +
                                      static_cast<double>(dry[ch][i]) * (1.0 - mixes[i]));
        }
    }
    reading_ = {loudest, static_cast<float>(dbFromGain(match_.value() * drive_.value()))};
}

void Saturation::replay(const AudioBlock& io, const Processor&) {
    process(io, io);
}

}  // namespace ember
