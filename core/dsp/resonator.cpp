#include "core/dsp/resonator.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kNoLevel = -60.0;

const std::vector<Parameter>& resonatorTable() {
    static const std::vector<Parameter> table{
        {"note",
         "Note",
         Unit::hertz,
         30.0,
         2000.0,
         196.0,
         Scale::logarithmic,
         "Of the lowest string: the drum's note, or one of the song's key.",
         {}},
        {"chord",
         "Strings",
         Unit::none,
         0.0,
         5.0,
         0.0,
         Scale::choice,
         "What the six strings are tuned to: overtones as a string has them, octaves, octaves with "
         "fifths, a major or minor chord, or those of a struck skin.",
         {"overtones", "octaves", "fifths", "major", "minor", "skin"}},
        {"decay",
         "Decay",
         Unit::milliseconds,
         30.0,
         8000.0,
         600.0,
         Scale::logarithmic,
         "How long the lowest string takes to fall by 60 dB. Takes note values.",
         {}},
        {"damp",
         "Damping",
         Unit::percent,
         0.0,
         100.0,
         40.0,
         Scale::linear,
         "How much sooner the higher strings are silent.",
         {}},
        {"spread",
         "Apart",
         Unit::percent,
         0.0,
         100.0,
         0.0,
         Scale::linear,
         "How far the strings stand to the left and right, one after the other; of a stereo row.",
         {}},
        {"level",
         "Level",
         Unit::dB,
         kNoLevel,
         24.0,
         0.0,
         Scale::linear,
         "Loudness of the strings.",
         {}},
        {"mix", "Mix", Unit::percent, 0.0, 100.0, 25.0, Scale::linear, "Share of the strings.", {}},
    };
    return table;
}

using Ratios = std::array<double, Resonator::kPartials>;

double up(double semitones) {
    return std::exp2(semitones / 12.0);
}

// Of a string so much higher than the lowest.
double stringMs(double lowest, double damp, double ratio) {
    return std::max(10.0, lowest * std::exp2(-2.0 * damp / 100.0 * std::log2(ratio)));
}

}  // namespace

Ratios resonatorRatios(std::span<const double> v) {
    switch (std::lround(v[Resonator::chord])) {
        case 1:
            return {1.0, 2.0, 4.0, 8.0, 16.0, 32.0};
        case 2:
            return {1.0, 1.5, 2.0, 3.0, 4.0, 6.0};
        case 3:
            return {1.0, up(4), up(7), 2.0, up(16), up(19)};
        case 4:
            return {1.0, up(3), up(7), 2.0, up(15), up(19)};
        case 5:
            // An ideal membrane's, zeros of Bessel functions (Rossing, Science of Percussion
            // Instruments, 2000, table 1.1).
            return {1.0, 1.594, 2.136, 2.296, 2.653, 2.918};
        default:
            return {1.0, 2.0, 3.0, 4.0, 5.0, 6.0};
    }
}

double resonatorDecayMs(std::span<const double> v, int partial) {
    return stringMs(v[Resonator::decay], v[Resonator::damp],
                    resonatorRatios(v)[static_cast<std::size_t>(partial)]);
}

ProcessorType resonatorType() {
    return {
        "resonator",
        "Resonator",
        Column::colour,
        false,
        "Six tuned strings that the drum sets ringing: a tone for a dry drum, a loop or a room.",
        "Turning poles: Mathews & Smith, SMAC 2003.",
        resonatorTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Resonator>(spec, values);
        }};
}

Resonator::Resonator(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    for (Smoother* s : {&note_, &level_, &mix_, &spread_, &there_}) s->prepare(spec.sampleRate);
    for (Smoother* s : {&decay_, &damp_}) s->prepare(spec.sampleRate, 40.0);
    chord_ = static_cast<int>(std::lround(values_[chord]));
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    Resonator::reset();
}

void Resonator::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    if (index == note) note_.aim(std::log2(value));
    if (index == chord) there_.aim(chord_ == static_cast<int>(std::lround(value)) ? 1.0 : 0.0);
    if (index == decay) decay_.aim(std::log2(value));
    if (index == damp) damp_.aim(value);
    if (index == spread) spread_.aim(value / 100.0);
    if (index == level) level_.aim(value <= kNoLevel ? 0.0 : gainFromDb(value));
    if (index == mix) mix_.aim(value / 100.0);
}

void Resonator::reset() {
    for (Smoother* s : {&note_, &decay_, &damp_, &level_, &mix_, &spread_}) s->jump(s->target());
    chord_ = static_cast<int>(std::lround(values_[chord]));
    there_.jump(1.0);
    ratio_ = resonatorRatios(values_);
    for (auto& side : state_) side.fill({});
    count_ = 0;
    aimPoles(true);
}

void Resonator::aimPoles(bool atOnce) {
    const double hertz = std::exp2(note_.value()), top = 0.45 * spec_.sampleRate;
    for (std::size_t k = 0; k < kPartials; ++k) {
        const double f = hertz * ratio_[k],
                     seconds =
                         stringMs(std::exp2(decay_.value()), damp_.value(), ratio_[k]) / 1000.0,
                     r = std::pow(10.0, -3.0 / (seconds * spec_.sampleRate));
        const Complex pole =
            std::polar(r, 2.0 * std::numbers::pi * std::min(f, top) / spec_.sampleRate);
        // What would lie too high stays silent.
        const double in = f < top ? std::sqrt(1.0 - r * r) : 0.0;
        if (atOnce) {
            pole_[k] = pole;
            in_[k] = in;
            poleStep_[k] = {};
            inStep_[k] = 0.0;
        } else {
            poleStep_[k] = (pole - pole_[k]) / static_cast<double>(kControl);
            inStep_[k] = (in - in_[k]) / kControl;
        }
    }
}

void Resonator::process(const AudioBlock& io, const AudioBlock& key) {
    (void)key;
    for (int i = 0; i < io.frames; ++i) {
        for (Smoother* s : {&note_, &decay_, &damp_}) s->next();
        const double there = there_.next();
        const double wet = mix_.next() * there, gain = level_.next(), apart = spread_.next();
        if (count_++ % kControl == 0) aimPoles(false);
        double in[2] = {}, rings[2] = {};
        for (int c = 0; c < io.channels; ++c) in[c] = static_cast<double>(io.channel[c][i]);
        for (std::size_t k = 0; k < kPartials; ++k) {
            pole_[k] += poleStep_[k];
            in_[k] += inStep_[k];
            double heard[2] = {};
            for (int c = 0; c < io.channels; ++c) {
                Complex& z = state_[static_cast<std::size_t>(c)][k];
                z = {z.real() * pole_[k].real() - z.imag() * pole_[k].imag() + in_[k] * in[c],
                     z.real() * pole_[k].imag() + z.imag() * pole_[k].real()};
                heard[c] = z.real();
            }
            if (io.channels == 1) {
                rings[0] += heard[0];
                continue;
            }
            // Every second string goes to the other side.
            const double share = k == 0 ? 0.0 : apart, quiet = std::sqrt(1.0 - share);
            const std::size_t near = k % 2, far = 1 - near;
            rings[near] += heard[near] + (1.0 - quiet) * heard[far];
            rings[far] += quiet * heard[far];
        }
        for (int c = 0; c < io.channels; ++c)
            io.channel[c][i] = static_cast<float>(in[c] + wet * (gain * rings[c] - in[c]));
        if (there < 1e-6 && there_.target() == 0.0) {
            chord_ = static_cast<int>(std::lround(values_[chord]));
            ratio_ = resonatorRatios(values_);
            for (auto& side : state_) side.fill({});
            aimPoles(true);
            there_.aim(1.0);
        }
    }
}

}  // namespace ember
