#include "core/dsp/transient.h"

#include "core/base/units.h"
#include "core/dsp/decibels.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kFloorDb = -90.0;  // silence has no transients
constexpr double kRideMs = 12.0;    // the peak is held over the waves of a low note
constexpr double kFastMs = 0.6;     // how fast the fast envelope rises
constexpr double kFullDb = 12.0;    // envelopes this far apart get the whole amount
constexpr double kSmoothMs = 1.2;   // of the gain itself

const std::vector<Parameter>& transientTable() {
    static const std::vector<Parameter> table{
        {"attack",
         "Attack",
         Unit::dB,
         -15.0,
         15.0,
         0.0,
         Scale::linear,
         "Raises or lowers the first moments of every stroke, soft ones as much as loud ones.",
         {}},
        {"sustain",
         "Sustain",
         Unit::dB,
         -24.0,
         15.0,
         0.0,
         Scale::linear,
         "Raises or lowers what rings after. Down is tight, up is size.",
         {}},
        {"attack-time",
         "Attack length",
         Unit::milliseconds,
         3.0,
         80.0,
         20.0,
         Scale::logarithmic,
         "What counts as the attack.",
         {}},
        {"sustain-time",
         "Sustain length",
         Unit::milliseconds,
         30.0,
         1000.0,
         180.0,
         Scale::logarithmic,
         "How long what rings is followed.",
         {}},
        {"from",
         "From",
         Unit::hertz,
         20.0,
         12000.0,
         20.0,
         Scale::logarithmic,
         "Only what lies above is shaped.",
         {}},
        {"to",
         "To",
         Unit::hertz,
         100.0,
         20000.0,
         20000.0,
         Scale::logarithmic,
         "Only what lies below is shaped.",
         {}},
        structuralParameter(
            {"look-ahead",
             "Look-ahead",
             Unit::milliseconds,
             0.0,
             10.0,
             1.0,
             Scale::linear,
             "Hears this much ahead, so that the very first wave is shaped too. Adds that latency, "
             "which is compensated.",
             {}}),
        {"output",
         "Output",
         Unit::dB,
         -24.0,
         12.0,
         0.0,
         Scale::linear,
         "Gain at the end, to match the level before judging.",
         {}},
        {"mix",
         "Mix",
         Unit::percent,
         0.0,
         100.0,
         100.0,
         Scale::linear,
         "Share of the shaped signal.",
         {}},
    };
    return table;
}

double step(double ms, double rate) {
    return 1.0 - std::exp(-1000.0 / (std::max(0.01, ms) * rate));
}

}  // namespace

ProcessorType transientType() {
    return {
        "transient",
        "Transient shaper",
        Column::dynamics,
        false,
        "More or less stick, more or less ring, whatever the level.",
        "Difference of envelopes; Zölzer (ed.), DAFX: Digital Audio Effects, 2nd ed. 2011, ch. 4.",
        transientTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<TransientShaper>(spec, values);
        }};
}

TransientShaper::TransientShaper(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    delay_.prepare(
        spec.channels,
        static_cast<int>(std::lround(framesFromMs(values_[lookAhead], spec.sampleRate))));
    for (Smoother* s : {&attack_, &sustain_, &output_, &mix_}) s->prepare(spec.sampleRate);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    TransientShaper::reset();
}

void TransientShaper::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    switch (index) {
        case attack:
            attack_.aim(value);
            break;
        case sustain:
            sustain_.aim(value);
            break;
        case from:
        case to:
            for (int c = 0; c < 2; ++c) {
                const double top = std::max(values_[to], 1.2 * values_[from]);
                band_[c].set(values_[from], top, spec_.sampleRate);
                heard_[c].set(values_[from], top, spec_.sampleRate);
            }
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

void TransientShaper::reset() {
    delay_.reset();
    for (int c = 0; c < 2; ++c) {
        band_[c].reset();
        heard_[c].reset();
    }
    for (Smoother* s : {&attack_, &sustain_, &output_, &mix_}) s->jump(s->target());
    peak_ = gain_ = 0.0;
    fast_ = slow_ = tail_ = kFloorDb;
}

void TransientShaper::process(const AudioBlock& io, const AudioBlock&) {
    const double rate = spec_.sampleRate, ride = std::exp(-1000.0 / (kRideMs * rate)),
                 fastUp = step(kFastMs, rate), slowUp = step(values_[attackTime], rate),
                 fall = step(0.35 * values_[sustainTime], rate),
                 tailFall = step(values_[sustainTime] * 1.4, rate), smooth = step(kSmoothMs, rate);
    float most = 0.0F, loudest = 0.0F;
    float levels[kBlock];
    for (int i = 0; i < io.frames; ++i) {
        double level = 0.0;
        for (int c = 0; c < io.channels; ++c) {
            const double x = io.channel[c][i];
            level = std::max(level, std::abs(heard_[c].whole() ? x : heard_[c].next(x)));
        }
        loudest = std::max(loudest, static_cast<float>(level));
        peak_ = std::max(level, ride * peak_);
        levels[i] = static_cast<float>(peak_);
    }
    toDecibels(levels, io.frames);
    for (int i = 0; i < io.frames; ++i) {
        const double db = std::max(kFloorDb, static_cast<double>(levels[i]));
        // Fast and slow rise apart and fall together; the tail falls slower than the sound.
        fast_ += (db > fast_ ? fastUp : fall) * (db - fast_);
        slow_ += (db > slow_ ? slowUp : fall) * (db - slow_);
        tail_ = db > tail_ ? tail_ + fastUp * (db - tail_) : tail_ + tailFall * (db - tail_);
        const double ahead = std::clamp((fast_ - slow_) / kFullDb, 0.0, 1.0),
                     behind = std::clamp((tail_ - fast_) / kFullDb, 0.0, 1.0);
        const double wanted = attack_.next() * ahead + sustain_.next() * behind * (1.0 - ahead);
        gain_ += smooth * (wanted - gain_);
        gains_[i] = static_cast<float>(gain_);
        if (std::abs(gain_) > std::abs(static_cast<double>(most))) most = static_cast<float>(gain_);
    }
    toGains(gains_, gains_, io.frames);
    for (int i = 0; i < io.frames; ++i) {
        const double wet = mix_.next();
        gains_[i] = 1.0F + static_cast<float>(wet) * (gains_[i] - 1.0F);
        outputs_[i] = static_cast<float>(1.0 + wet * (output_.next() - 1.0));
    }
    reading_ = {loudest, most};
    apply(io, gains_);
}

void TransientShaper::apply(const AudioBlock& io, const float* gains) {
    delay_.process(io);
    for (int c = 0; c < io.channels; ++c) {
        for (int i = 0; i < io.frames; ++i)
            io.channel[c][i] =
                static_cast<float>(band_[c].next(io.channel[c][i], static_cast<double>(gains[i])) *
                                   static_cast<double>(outputs_[i]));
    }
}

void TransientShaper::replay(const AudioBlock& io, const Processor& master) {
    const auto& m = static_cast<const TransientShaper&>(master);
    std::copy_n(m.outputs_, kBlock, outputs_);
    apply(io, m.gains_);
}

}  // namespace ember
