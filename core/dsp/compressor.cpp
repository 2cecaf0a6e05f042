#include "core/dsp/compressor.h"

#include "core/base/units.h"
#include "core/dsp/decibels.h"
#include "core/dsp/simd.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kRmsMs = 10.0;          // averaging time of the RMS detector
constexpr double kSlowAttackMs = 200.0;  // of the automatic release's second detector
constexpr double kSlowReleaseTimes = 6.0;
constexpr double kCrushDb = 6.0;    // reduction that halves the release of the crush character
constexpr double kSteepest = 0.98;  // slope: 50 to 1
constexpr int kDepths = 48;         // dB of reduction it distinguishes

const std::vector<Parameter>& compressorTable() {
    static const std::vector<Parameter> table{
        {"threshold",
         "Threshold",
         Unit::dB,
         -60.0,
         0.0,
         -18.0,
         Scale::linear,
         "Where the reduction begins. Low enough to reach the strokes meant, not the bleed between "
         "them.",
         {}},
        {"ratio",
         "Ratio",
         Unit::ratio,
         1.0,
         20.0,
         4.0,
         Scale::logarithmic,
         "How many dB in give one dB out above the threshold: 2 to 4 controls, 5 and over shapes.",
         {}},
        {"knee",
         "Knee",
         Unit::dB,
         0.0,
         24.0,
         6.0,
         Scale::linear,
         "Width of the bend around the threshold. Wide is gentle, narrow is firm.",
         {}},
        {"attack",
         "Attack",
         Unit::milliseconds,
         0.05,
         200.0,
         20.0,
         Scale::logarithmic,
         "Time to reach 63 % of the reduction. 10 to 50 ms lets the stick through, short is dense.",
         {}},
        {"release",
         "Release",
         Unit::milliseconds,
         5.0,
         2000.0,
         120.0,
         Scale::logarithmic,
         "Time to give back 63 % of the reduction. Back to zero before the next stroke keeps the "
         "groove.",
         {}},
        {"auto-release",
         "Automatic release",
         Unit::none,
         0.0,
         1.0,
         0.0,
         Scale::toggle,
         "Short peaks recover at the release time, sustained pressure six times as slowly.",
         {}},
        {"detector",
         "Detector",
         Unit::none,
         0.0,
         1.0,
         0.0,
         Scale::choice,
         "Peak follows every wave, RMS follows the power over 10 ms.",
         {"peak", "rms"}},
        keyHighPassParameter(),
        keyLowPassParameter(),
        structuralParameter({"look-ahead",
                             "Look-ahead",
                             Unit::milliseconds,
                             0.0,
                             20.0,
                             0.0,
                             Scale::linear,
                             "Hears this much ahead, so that a fast attack catches the peak. Adds "
                             "that latency, which "
                             "is compensated.",
                             {}}),
        {"range",
         "Range",
         Unit::dB,
         0.0,
         60.0,
         60.0,
         Scale::linear,
         "The reduction never exceeds this.",
         {}},
        {"make-up",
         "Make-up",
         Unit::dB,
         -24.0,
         24.0,
         0.0,
         Scale::linear,
         "Gain after the reduction, to match the level before judging.",
         {}},
        {"mix",
         "Mix",
         Unit::percent,
         0.0,
         100.0,
         100.0,
         Scale::linear,
         "Share of the compressed signal; the rest is the untouched one, in time with it.",
         {}},
        {"character",
         "Character",
         Unit::none,
         0.0,
         2.0,
         0.0,
         Scale::choice,
         "clean does what the numbers say; smooth listens to its own output and bends into it; "
         "crush "
         "lets go the faster the harder it presses.",
         {"clean", "smooth", "crush"}},
        keyListenParameter(),
    };
    return table;
}

// Static curve as a reduction (0 or more); eq. 4 of the cited paper, in overshoot form.
[[gnu::always_inline]] inline float reduction(float over, float slope, float knee, float range) {
    const float half = 0.5F * knee;
    const float into = over + half;
    const float bend = knee > 0.0F ? into * into / (2.0F * knee) : 0.0F;
    const float bent = into <= 0.0F ? 0.0F : (over >= half ? over : bend);
    const float r = slope * bent;
    return r < range ? r : range;
}

EMBER_CLONES void staticCurve(float* levels, int frames, float threshold, float slope, float knee,
                              float range) {
    for (int i = 0; i < frames; ++i)
        levels[i] = reduction(levels[i] - threshold, slope, knee, range);
}

// What a detector behind the reduction has to ask for, so that the curve of `reduction` comes out:
// that curve turned round, from the level it leaves (`over` the threshold) to what it took; and how
// that rises with the level.
struct Asked {
    double value = 0.0, rise = 0.0;
};
Asked askedByOutput(double over, double slope, double knee) {
    const double into = over + 0.5 * knee;
    if (into <= 0.0 || slope <= 0.0) return {};
    if (into >= knee * (1.0 - 0.5 * slope)) {
        const double steep = slope / (1.0 - slope);  // ratio - 1
        return {steep * over, steep};
    }
    const double root = std::sqrt(1.0 - 2.0 * slope * into / knee);
    return {knee / slope * (1.0 - root) - into, 1.0 / root - 1.0};
}

double coefficient(double ms, double sampleRate) {
    return std::exp(-1.0 / std::max(1e-3, framesFromMs(ms, sampleRate)));
}

}  // namespace

double compressorCurve(double levelDb, double thresholdDb, double ratio, double kneeDb,
                       double rangeDb) {
    return -static_cast<double>(reduction(static_cast<float>(levelDb - thresholdDb),
                                          static_cast<float>(1.0 - 1.0 / ratio),
                                          static_cast<float>(kneeDb), static_cast<float>(rangeDb)));
}

ProcessorType compressorType() {
    return {
        "compressor",
        "Compressor",
        Column::dynamics,
        true,
        "Evens out strokes or reshapes them: what lies above the threshold is pressed by the "
        "ratio.",
        "Giannoulis, Massberg & Reiss, Digital Dynamic Range Compressor Design, JAES 60(6), 2012.",
        compressorTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Compressor>(spec, values);
        }};
}

Compressor::Compressor(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    keyFilter_.prepare(spec);
    listen_.prepare(spec.sampleRate);
    delay_.prepare(
        spec.channels,
        static_cast<int>(std::lround(framesFromMs(values_[lookAhead], spec.sampleRate))));
    for (Smoother* s : {&threshold_, &slope_, &knee_, &range_, &makeUp_, &mix_})
        s->prepare(spec.sampleRate);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    Compressor::reset();
}

void Compressor::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    switch (index) {
        case threshold:
            threshold_.aim(value);
            break;
        case ratio:
            slope_.aim(1.0 - 1.0 / value);
            break;
        case knee:
            knee_.aim(value);
            break;
        case range:
            range_.aim(value);
            break;
        case makeUp:
            makeUp_.aim(gainFromDb(value));
            break;
        case mix:
            mix_.aim(value / 100.0);
            break;
        case keyListen:
            listen_.set(value >= 0.5);
            break;
        case keyHighPass:
        case keyLowPass:
            keyFilter_.set(values_[keyHighPass], values_[keyLowPass]);
            break;
        default:
            break;
    }
}

void Compressor::reset() {
    keyFilter_.reset();
    listen_.reset();
    delay_.reset();
    for (Smoother* s : {&threshold_, &slope_, &knee_, &range_, &makeUp_, &mix_})
        s->jump(s->target());
    meanSquare_ = fast_ = slow_ = 0.0;
}

void Compressor::detect(const AudioBlock& heard, float* level) {
    for (int i = 0; i < heard.frames; ++i) level[i] = std::abs(heard.channel[0][i]);
    if (heard.channels == 2) {
        for (int i = 0; i < heard.frames; ++i)
            level[i] = std::max(level[i], std::abs(heard.channel[1][i]));
    }
    reading_.keyPeak = *std::max_element(level, level + heard.frames);
    if (values_[detector] >= 0.5) {
        const double keep = coefficient(kRmsMs, spec_.sampleRate);
        for (int i = 0; i < heard.frames; ++i) {
            const double x = level[i];
            meanSquare_ = keep * meanSquare_ + (1.0 - keep) * x * x;
            level[i] = static_cast<float>(std::sqrt(meanSquare_));
        }
    }
    toDecibels(level, heard.frames);
}

void Compressor::curve(float* level, int frames) {
    if (threshold_.moving() || slope_.moving() || knee_.moving() || range_.moving()) {
        for (int i = 0; i < frames; ++i) {
            level[i] = reduction(
                level[i] - static_cast<float>(threshold_.next()), static_cast<float>(slope_.next()),
                static_cast<float>(knee_.next()), static_cast<float>(range_.next()));
        }
        return;
    }
    staticCurve(level, frames, static_cast<float>(threshold_.value()),
                static_cast<float>(slope_.value()), static_cast<float>(knee_.value()),
                static_cast<float>(range_.value()));
}

// Attack and release of what the curve asks for.
void Compressor::follow(float* level, int frames) {
    const bool crush = values_[character] >= 1.5;
    const double up =
                     coefficient(crush ? 0.5 * values_[attack] : values_[attack], spec_.sampleRate),
                 down = coefficient(values_[release], spec_.sampleRate);
    const bool automatic = values_[autoRelease] >= 0.5;
    const double slowUp = coefficient(kSlowAttackMs, spec_.sampleRate);
    const double slowDown = coefficient(kSlowReleaseTimes * values_[release], spec_.sampleRate);
    // Release by whole dB of reduction.
    double deeper[kDepths];
    for (int i = 0; crush && i < kDepths; ++i)
        deeper[i] = coefficient(values_[release] / (1.0 + i / kCrushDb), spec_.sampleRate);
    double fast = fast_, slow = automatic ? slow_ : 0.0;
    for (int i = 0; i < frames; ++i) {
        const double x = level[i];
        const double back = crush ? deeper[std::min(kDepths - 1, static_cast<int>(fast))] : down;
        fast = x + (x > fast ? up : back) * (fast - x);
        if (automatic) slow = x + (x > slow ? slowUp : slowDown) * (slow - x);
        level[i] = static_cast<float>(std::max(fast, slow));
    }
    fast_ = fast;
    slow_ = slow;
}

// Feed-back without a delay in the loop: the reduction r solves r = (1 - c) r' + c asked(level -
// r), c being the attack's or the release's share, by three steps of Newton's method; what is asked
// is convex in the output, so they close in from one side. (With a frame of delay high ratios and
// short attacks would oscillate.)
void Compressor::followOutput(float* level, int frames) {
    const double up = 1.0 - coefficient(values_[attack], spec_.sampleRate),
                 down = 1.0 - coefficient(values_[release], spec_.sampleRate);
    double r = fast_;
    for (int i = 0; i < frames; ++i) {
        const double over = static_cast<double>(level[i]) - threshold_.next(),
                     slope = std::min(slope_.next(), kSteepest), bend = knee_.next();
        const double share = askedByOutput(over - r, slope, bend).value > r ? up : down, before = r;
        for (int step = 0; step < 3; ++step) {
            const Asked asked = askedByOutput(over - r, slope, bend);
            r -= (r - (1.0 - share) * before - share * asked.value) / (1.0 + share * asked.rise);
            r = std::max(0.0, r);
        }
        r = std::min(r, range_.next());
        level[i] = static_cast<float>(r);
    }
    fast_ = r;
}

void Compressor::process(const AudioBlock& io, const AudioBlock& key) {
    float level[kBlock];
    const AudioBlock heard = keyFilter_.process(key);
    listen_.take(heard, io.channels);
    detect(heard, level);
    if (std::lround(values_[character]) == static_cast<long>(CompressorCharacter::smooth)) {
        followOutput(level, io.frames);
    } else {
        curve(level, io.frames);
        follow(level, io.frames);
    }
    const float most = *std::max_element(level, level + io.frames);
    reading_.gainDb = -most;
    for (int i = 0; i < io.frames; ++i) level[i] = -level[i];
    toGains(level, gains_, io.frames);
    if (makeUp_.moving() || mix_.moving()) {
        for (int i = 0; i < io.frames; ++i) {
            const double wet = mix_.next();
            gains_[i] = static_cast<float>(1.0 - wet +
                                           wet * makeUp_.next() * static_cast<double>(gains_[i]));
        }
    } else {
        const auto wet = static_cast<float>(mix_.value());
        const auto gain = static_cast<float>(makeUp_.value()) * wet;
        for (int i = 0; i < io.frames; ++i) gains_[i] = (1.0F - wet) + gain * gains_[i];
    }
    apply(io, gains_);
    listen_.play(io);
}

void Compressor::apply(const AudioBlock& io, const float* gains) {
    delay_.process(io);
    for (int c = 0; c < io.channels; ++c) {
        for (int i = 0; i < io.frames; ++i) io.channel[c][i] *= gains[i];
    }
}

void Compressor::replay(const AudioBlock& io, const Processor& master) {
    apply(io, static_cast<const Compressor&>(master).gains_);
}

}  // namespace ember
