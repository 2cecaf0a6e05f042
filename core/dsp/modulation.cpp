#include "core/dsp/modulation.h"

#include "core/base/units.h"
#include "core/dsp/one_pole.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kLongestSweepMs = 60.0, kShortestSweepMs = 0.2;
constexpr double kPhaserOctaves = 2.0;  // either way at full depth
constexpr double kLowOff = 20.0;        // Hz: nothing goes past

const std::vector<Parameter>& modulationTable() {
    static const std::vector<Parameter> table{
        {"kind",
         "Kind",
         Unit::none,
         0.0,
         2.0,
         0.0,
         Scale::choice,
         "Chorus widens and loosens, flanger sweeps a comb, phaser a few soft notches.",
         {"chorus", "flanger", "phaser"}},
        {"period",
         "Period",
         Unit::milliseconds,
         50.0,
         30000.0,
         2500.0,
         Scale::logarithmic,
         "How long one sweep there and back takes. Takes note values.",
         {}},
        {"depth",
         "Depth",
         Unit::percent,
         0.0,
         100.0,
         40.0,
         Scale::linear,
         "How far it sweeps: of its delay, or up to two octaves either way.",
         {}},
        {"time",
         "Delay",
         Unit::milliseconds,
         0.5,
         30.0,
         9.0,
         Scale::logarithmic,
         "Middle of the sweep of chorus and flanger: some ten milliseconds, or a few.",
         {}},
        {"centre",
         "Centre",
         Unit::hertz,
         80.0,
         6000.0,
         700.0,
         Scale::logarithmic,
         "Middle of the phaser's sweep.",
         {}},
        {"feedback",
         "Feedback",
         Unit::percent,
         -90.0,
         90.0,
         0.0,
         Scale::linear,
         "What comes out goes in again: sharper; below nothing it is hollow.",
         {}},
        {"spread",
         "Sides apart",
         Unit::percent,
         0.0,
         100.0,
         50.0,
         Scale::linear,
         "How much later in its sweep the right side is: at 100 % they go against each other, "
         "which is widest and costs most in mono.",
         {}},
        {"low-cut",
         "Lows past",
         Unit::hertz,
         kLowOff,
         1000.0,
         120.0,
         Scale::logarithmic,
         "What lies below goes past it untouched, so that the bottom stays in one place.",
         {}},
        {"mix",
         "Mix",
         Unit::percent,
         0.0,
         100.0,
         35.0,
         Scale::linear,
         "Share of the moved signal; at half, combs and notches are deepest.",
         {}},
    };
    return table;
}

double octavesFrom(double lfo, double depth) {
    return std::exp2(kPhaserOctaves * depth * lfo);
}

double delayMs(double middle, double lfo, double depth) {
    return std::max(kShortestSweepMs, middle * (1.0 + 0.95 * depth * lfo));
}

}  // namespace

double modulationAt(std::span<const double> v, int side, double share) {
    const double turn = share + (side == 1 ? 0.5 * v[Modulation::spread] / 100.0 : 0.0),
                 lfo = std::sin(2.0 * std::numbers::pi * turn),
                 depth = v[Modulation::depth] / 100.0;
    return std::lround(v[Modulation::kind]) == Modulation::phaser
               ? v[Modulation::centre] * octavesFrom(lfo, depth)
               : delayMs(v[Modulation::time], lfo, depth);
}

ProcessorType modulationType() {
    return {
        "modulation",
        "Modulation",
        Column::colour,
        false,
        "Chorus, flanger or phaser: slow movement and width for claps, blocks, loops and rooms.",
        "Lagrange interpolation: Laakso et al., IEEE SPM 1996; all-pass phasing: Smith, ICMC 1984.",
        modulationTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Modulation>(spec, values);
        }};
}

Modulation::Modulation(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    const auto longest =
        static_cast<std::size_t>(std::ceil(framesFromMs(kLongestSweepMs, spec.sampleRate))) + 8;
    for (int c = 0; c < spec.channels; ++c)
        sides_[static_cast<std::size_t>(c)].ring.assign(longest, 0.0F);
    for (Smoother* s : {&depth_, &feedback_, &low_, &mix_, &there_, &spread_})
        s->prepare(spec.sampleRate);
    // Times and corners glide slowly: what moves fast is heard as pitch.
    for (Smoother* s : {&time_, &centre_}) s->prepare(spec.sampleRate, 60.0);
    kind_ = static_cast<int>(std::lround(values_[kind]));
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    Modulation::reset();
}

void Modulation::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    switch (index) {
        case kind:
            there_.aim(kind_ == static_cast<int>(std::lround(value)) ? 1.0 : 0.0);
            break;
        case period:
            speedTo_ = 1000.0 / (value * spec_.sampleRate);
            break;
        case depth:
            depth_.aim(value / 100.0);
            break;
        case time:
            time_.aim(value);
            break;
        case centre:
            centre_.aim(std::log2(value));
            break;
        case feedback:
            feedback_.aim(value / 100.0);
            break;
        case spread:
            spread_.aim(0.5 * value / 100.0);
            break;
        case lowCut:
            low_.aim(value <= kLowOff ? 0.0 : onePoleShare(value, spec_.sampleRate));
            break;
        case mix:
            mix_.aim(value / 100.0);
            break;
        default:
            break;
    }
}

void Modulation::reset() {
    for (Smoother* s : {&depth_, &time_, &centre_, &feedback_, &spread_, &low_, &mix_})
        s->jump(s->target());
    kind_ = static_cast<int>(std::lround(values_[kind]));
    there_.jump(1.0);
    for (Side& side : sides_) {
        std::fill(side.ring.begin(), side.ring.end(), 0.0F);
        side.passes = {};
        side.low = side.back = 0.0;
    }
    phase_ = 0.0;
    speed_ = speedTo_;
    at_ = 0;
}

double Modulation::delayed(Side& side, double in, double lfo, double depthNow) {
    const int length = static_cast<int>(side.ring.size());
    side.ring[static_cast<std::size_t>(at_)] = static_cast<float>(in + backNow_ * side.back);
    const double frames =
        std::max(2.0, framesFromMs(delayMs(timeNow_, lfo, depthNow), spec_.sampleRate));
    const int whole = static_cast<int>(frames);
    const double x = frames - whole;  // from the first of the two in the middle
    const auto back = [&](int by) {
        const int place = at_ - whole - by;
        return static_cast<double>(
            side.ring[static_cast<std::size_t>(place < 0 ? place + length : place)]);
    };
    const double a = back(-1), b = back(0), c = back(1), d = back(2);
    side.back = -x * (x - 1.0) * (x - 2.0) / 6.0 * a + (x + 1.0) * (x - 1.0) * (x - 2.0) / 2.0 * b -
                (x + 1.0) * x * (x - 2.0) / 2.0 * c + (x + 1.0) * x * (x - 1.0) / 6.0 * d;
    return side.back;
}

double Modulation::phased(Side& side, double in, double lfo, double depthNow) {
    const double share =
        onePoleShare(std::max(20.0, centreNow_ * octavesFrom(lfo, depthNow)), spec_.sampleRate);
    double y = in + backNow_ * side.back;
    for (double& state : side.passes) {
        const double v = (y - state) * share, low = v + state;
        state = low + v;
        y = 2.0 * low - y;
    }
    side.back = y;
    return y;
}

void Modulation::process(const AudioBlock& io, const AudioBlock& key) {
    (void)key;
    for (int i = 0; i < io.frames; ++i) {
        const double depthNow = depth_.next(), spreadNow = spread_.next(), low = low_.next(),
                     there = there_.next(), wet = mix_.next() * there;
        timeNow_ = time_.next();
        centreNow_ = std::exp2(centre_.next());
        backNow_ = feedback_.next();
        speed_ += 0.0005 * (speedTo_ - speed_);
        for (int c = 0; c < io.channels; ++c) {
            Side& side = sides_[static_cast<std::size_t>(c)];
            const double in = static_cast<double>(io.channel[c][i]);
            const double v = (in - side.low) * low, under = v + side.low;
            side.low = low > 0.0 ? under + v : 0.999 * side.low;
            const double above = in - (low > 0.0 ? under : 0.0);
            const double lfo =
                std::sin(2.0 * std::numbers::pi * (phase_ + (c == 1 ? spreadNow : 0.0)));
            const double moved = kind_ == phaser ? phased(side, above, lfo, depthNow)
                                                 : delayed(side, above, lfo, depthNow);
            io.channel[c][i] = static_cast<float>(in + wet * (moved - above));
        }
        phase_ += speed_;
        phase_ -= std::floor(phase_);
        at_ = at_ + 1 == static_cast<int>(sides_[0].ring.size()) ? 0 : at_ + 1;
        // The other kind begins where nothing of this one is heard.
        if (there < 1e-6 && there_.target() == 0.0) {
            kind_ = static_cast<int>(std::lround(values_[kind]));
            for (Side& side : sides_) {
                side.passes = {};
                side.back = 0.0;
                std::fill(side.ring.begin(), side.ring.end(), 0.0F);
            }
            there_.aim(1.0);
        }
    }
}

}  // namespace ember
