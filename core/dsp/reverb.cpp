#include "core/dsp/reverb.h"

#include "core/base/units.h"
#include "core/dsp/one_pole.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

// Milliseconds of the shortest and the longest line at a size of 100 %; together they are a second,
// which is dense enough for the longest decay (0.15 of it and more).
constexpr double kShortestMs = 17.0, kLongestMs = 53.0;
constexpr double kModulationMs = 0.35;  // how far a line wanders at 100 %
constexpr double kRampMs = 60.0;        // in which a change of decay is reached
constexpr float kMostSpread = 0.72F;    // gain of the all-pass sections at full density
constexpr double kSpreadMs[2][4] = {{3.1, 4.4, 5.9, 7.3}, {2.9, 4.7, 5.6, 7.6}};
// A box of so many metres, with source and ears in it, at a size of 100 %.
constexpr double kBox[3] = {6.1, 4.7, 2.9}, kSource[3] = {2.2, 1.4, 1.0},
                 kEars[2][3] = {{3.9, 3.1, 1.6}, {4.2, 2.8, 1.6}};
constexpr double kSpeed = 343.0;     // of sound, m/s
constexpr double kReflects = 0.82;   // of the pressure, at each wall
constexpr double kEarlyMost = 70.0;  // ms behind the direct sound

const std::vector<Parameter>& reverbTable() {
    static const std::vector<Parameter> table{
        structuralParameter({"kind",
                             "Kind",
                             Unit::none,
                             0.0,
                             1.0,
                             0.0,
                             Scale::choice,
                             "A plate is dense at once; a room answers with first reflections.",
                             {"plate", "room"}}),
        {"decay",
         "Decay",
         Unit::milliseconds,
         200.0,
         4000.0,
         1200.0,
         Scale::logarithmic,
         "Time in which the middle falls by 60 dB. Short enough to be gone before the next "
         "backbeat, unless it should not be.",
         {}},
        structuralParameter({"pre-delay",
                             "Pre-delay",
                             Unit::milliseconds,
                             0.0,
                             250.0,
                             10.0,
                             Scale::linear,
                             "Comes so much later: the stroke stands clear in front of its space.",
                             {}}),
        structuralParameter(
            {"size",
             "Size",
             Unit::percent,
             60.0,
             150.0,
             100.0,
             Scale::linear,
             "Of the plate or the room. Small is tight and coloured, large is even.",
             {}}),
        {"width",
         "Width",
         Unit::percent,
         0.0,
         150.0,
         100.0,
         Scale::linear,
         "Of what comes back; 0 is mono. The mono sum stays the same.",
         {}},
        {"mix",
         "Mix",
         Unit::percent,
         0.0,
         100.0,
         100.0,
         Scale::linear,
         "Share of the space. On a bus that rows are sent to: all of it.",
         {}},
        {"early",
         "First reflections",
         Unit::percent,
         0.0,
         100.0,
         50.0,
         Scale::linear,
         "How loud the walls answer before the tail. Only a room has them.",
         {}},
        {"low-decay",
         "Lows decay",
         Unit::percent,
         25.0,
         200.0,
         80.0,
         Scale::linear,
         "Decay under the low corner, as a share of the middle's. Less keeps the kick's end clear.",
         {}},
        {"low-corner",
         "Low corner",
         Unit::hertz,
         60.0,
         800.0,
         250.0,
         Scale::logarithmic,
         "Below it the lows have their own decay.",
         {}},
        {"high-decay",
         "Highs decay",
         Unit::percent,
         20.0,
         120.0,
         50.0,
         Scale::linear,
         "Decay over the high corner, as a share of the middle's. Less is darker and farther away.",
         {}},
        {"high-corner",
         "High corner",
         Unit::hertz,
         1000.0,
         12000.0,
         4500.0,
         Scale::logarithmic,
         "Above it the highs have their own decay.",
         {}},
        {"low-cut",
         "Low cut",
         Unit::hertz,
         20.0,
         1000.0,
         120.0,
         Scale::logarithmic,
         "Takes lows from what comes back, 12 dB an octave.",
         {}},
        {"high-cut",
         "High cut",
         Unit::hertz,
         1000.0,
         20000.0,
         12000.0,
         Scale::logarithmic,
         "Takes highs from what comes back, 12 dB an octave.",
         {}},
        {"density",
         "Density",
         Unit::percent,
         0.0,
         100.0,
         80.0,
         Scale::linear,
         "How far each stroke is spread before it rings. Less lets single echoes be heard.",
         {}},
        {"modulation",
         "Modulation",
         Unit::percent,
         0.0,
         100.0,
         15.0,
         Scale::linear,
         "Slow wandering of some echoes, against metallic ringing.",
         {}},
        {"duck",
         "Gives way by",
         Unit::dB,
         0.0,
         30.0,
         0.0,
         Scale::linear,
         "How far the space steps back while the drum itself sounds, so that its tail fills the "
         "gaps.",
         {}},
    };
    return table;
}

bool isPrime(int n) {
    for (int d = 2; d * d <= n; ++d) {
        if (n % d == 0) return false;
    }
    return n > 1;
}
int primeAt(double n) {
    int at = static_cast<int>(n) | 1;
    while (!isPrime(at)) at += 2;
    return at;
}

// dB a frame that falls by 60 dB in so many milliseconds.
double fallPerFrame(double ms, double rate) {
    return -60.0 / framesFromMs(ms, rate);
}

}  // namespace

double reverbDecayMs(std::span<const double> v, double hertz) {
    const double middle = v[Reverb::decay], low = middle * v[Reverb::lowDecay] / 100.0,
                 high = middle * v[Reverb::highDecay] / 100.0;
    const double l = std::pow(hertz / v[Reverb::lowCorner], 2.0),
                 h = std::pow(hertz / v[Reverb::highCorner], 2.0);
    return 1.0 / (1.0 / middle + (1.0 / low - 1.0 / middle) / (1.0 + l) +
                  (1.0 / high - 1.0 / middle) * h / (1.0 + h));
}

ProcessorType reverbType() {
    return {
        "reverb",
        "Reverb",
        Column::colour,
        false,
        "A plate or a room around the drums, whose decay is set by bands. On a bus that rows are "
        "sent to.",
        "Jot & Chaigne, Digital delay networks for designing artificial reverberators, AES 90th "
        "Convention, 1991; Schroeder, JAES 10(3), 1962; Allen & Berkley, JASA 65(4), 1979.",
        reverbTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Reverb>(spec, values);
        }};
}

Reverb::Reverb(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    buildLines();
    buildEarly();
    pre_.prepare(2,
                 static_cast<int>(std::lround(framesFromMs(values_[preDelay], spec.sampleRate))));
    for (Smoother* s : {&width_, &mix_, &early_, &density_, &depth_, &lowCutTo_, &highCutTo_})
        s->prepare(spec.sampleRate);
    give_.prepare(spec.sampleRate);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    Reverb::reset();
}

void Reverb::buildLines() {
    const double rate = spec_.sampleRate, scale = values_[size] / 100.0;
    const int wander = static_cast<int>(std::ceil(framesFromMs(kModulationMs, rate))) + 2;
    int before = 0;
    for (int i = 0; i < kLines; ++i) {
        const double ms =
            scale * kShortestMs * std::pow(kLongestMs / kShortestMs, i / (kLines - 1.0));
        // Primes, each once: no two lines ring together.
        const int frames = std::max(primeAt(framesFromMs(ms, rate)), primeAt(before + 2));
        lines_[static_cast<std::size_t>(i)].prepare(frames, wander);
        before = frames;
    }
    for (std::size_t side = 0; side < 2; ++side) {
        for (std::size_t k = 0; k < 4; ++k)
            spread_[side][k].line.prepare(primeAt(framesFromMs(scale * kSpreadMs[side][k], rate)),
                                          0);
    }
}

void Reverb::buildEarly() {
    const double scale = values_[size] / 100.0, rate = spec_.sampleRate;
    const double most = framesFromMs(kEarlyMost * scale, rate);
    earlyLine_.prepare(kBlock, static_cast<int>(most) + kBlock);
    if (values_[kind] < 0.5) return;
    for (std::size_t ear = 0; ear < 2; ++ear) {
        const auto distance = [&](const std::array<double, 3>& at) {
            double sum = 0.0;
            for (std::size_t axis = 0; axis < 3; ++axis)
                sum += std::pow(scale * (at[axis] - kEars[ear][axis]), 2.0);
            return std::sqrt(sum);
        };
        const double direct = distance({kSource[0], kSource[1], kSource[2]});
        // Images up to the second order along each axis.
        for (int image = 0; image < 125; ++image) {
            const int order[3] = {image % 5 - 2, image / 5 % 5 - 2, image / 25 - 2};
            const int walls = std::abs(order[0]) + std::abs(order[1]) + std::abs(order[2]);
            if (walls == 0 || walls > 3) continue;
            std::array<double, 3> at{};
            for (std::size_t axis = 0; axis < 3; ++axis) {
                const int n = order[axis];
                at[axis] = n % 2 == 0 ? n * kBox[axis] + kSource[axis]
                                      : (n + 1) * kBox[axis] - kSource[axis];
            }
            const double far = distance(at),
                         late = framesFromMs(1000.0 * (far - direct) / kSpeed, rate);
            if (late >= most) continue;
            taps_[ear].push_back({static_cast<int>(std::lround(late)),
                                  static_cast<float>(std::pow(kReflects, walls) * direct / far *
                                                     (walls % 2 == 0 ? 1.0 : -1.0))});
        }
    }
}

int Reverb::totalDelay() const {
    int all = 0;
    for (const BlockDelay& line : lines_) all += line.frames();
    return all;
}

Reverb::Damping Reverb::damped() const {
    Damping d;
    const double rate = spec_.sampleRate, middle = values_[decay];
    const double base = fallPerFrame(middle, rate),
                 low = fallPerFrame(middle * values_[lowDecay] / 100.0, rate) - base,
                 high = fallPerFrame(middle * values_[highDecay] / 100.0, rate) - base;
    const auto corner = [&](double hertz) {
        return std::tan(std::numbers::pi * std::min(hertz, 0.45 * rate) / rate);
    };
    const double kl = corner(values_[lowCorner]), kh = corner(values_[highCorner]);
    for (std::size_t i = 0; i < kLines; ++i) {
        const double frames = lines_[i].frames(), gain = gainFromDb(base * frames);
        // First-order shelves whose middle lies at half their decibels.
        const double l = std::sqrt(gainFromDb(low * frames)),
                     h = std::sqrt(gainFromDb(high * frames));
        d.low0[i] = static_cast<float>(gain * (1.0 + kl * l) / (1.0 + kl / l));
        d.low1[i] = static_cast<float>(gain * (kl * l - 1.0) / (1.0 + kl / l));
        d.lowA[i] = static_cast<float>((kl / l - 1.0) / (1.0 + kl / l));
        d.high0[i] = static_cast<float>((kh + h) / (kh + 1.0 / h));
        d.high1[i] = static_cast<float>((kh - h) / (kh + 1.0 / h));
        d.highA[i] = static_cast<float>((kh - 1.0 / h) / (kh + 1.0 / h));
    }
    // What all rounds together give back is as strong as what came in: a share is left of the power
    // after each round, and the next round begins with that beside what comes in.
    double share = 0.0;
    for (const BlockDelay& line : lines_) share += gainFromDb(2.0 * base * line.frames()) / kLines;
    d.level = static_cast<float>(std::sqrt((1.0 - share) / share));
    return d;
}

void Reverb::aimDamping() {
    target_ = damped();
    ramp_ = static_cast<int>(framesFromMs(kRampMs, spec_.sampleRate));
    const auto share = 1.0F / static_cast<float>(ramp_);
    const auto toward = [&](Lane& step, const Lane& to, const Lane& from) {
        for (std::size_t i = 0; i < kLines; ++i) step[i] = (to[i] - from[i]) * share;
    };
    toward(step_.low0, target_.low0, now_.low0);
    toward(step_.low1, target_.low1, now_.low1);
    toward(step_.lowA, target_.lowA, now_.lowA);
    toward(step_.high0, target_.high0, now_.high0);
    toward(step_.high1, target_.high1, now_.high1);
    toward(step_.highA, target_.highA, now_.highA);
    step_.level = (target_.level - now_.level) * share;
}

void Reverb::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    switch (index) {
        case width:
            width_.aim(value / 100.0);
            break;
        case mix:
            mix_.aim(value / 100.0);
            break;
        case early:
            early_.aim(value / 100.0);
            break;
        case density:
            density_.aim(value / 100.0 * static_cast<double>(kMostSpread));
            break;
        case duck:
            give_.aim(value);
            break;
        case modulation:
            depth_.aim(value / 100.0 * framesFromMs(kModulationMs, spec_.sampleRate));
            break;
        case lowCut:
            lowCutTo_.aim(onePoleShare(value, spec_.sampleRate));
            break;
        case highCut:
            highCutTo_.aim(onePoleShare(value, spec_.sampleRate));
            break;
        case decay:
        case lowDecay:
        case lowCorner:
        case highDecay:
        case highCorner:
            aimDamping();
            break;
        default:
            break;
    }
}

void Reverb::reset() {
    for (BlockDelay& line : lines_) line.reset();
    for (auto& side : spread_) {
        for (AllPass& section : side) section.line.reset();
    }
    pre_.reset();
    earlyLine_.reset();
    now_ = target_ = damped();
    ramp_ = 0;
    lowState_ = {};
    highState_ = {};
    poles_ = {};
    for (std::size_t i = 0; i < kLines; ++i) phase_[i] = static_cast<double>(i) / kLines;
    for (Smoother* s : {&width_, &mix_, &early_, &density_, &depth_, &lowCutTo_, &highCutTo_})
        s->jump(s->target());
    give_.reset();
}

}  // namespace ember
