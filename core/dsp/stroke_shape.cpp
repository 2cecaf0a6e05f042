#include "core/dsp/stroke_shape.h"

#include "core/base/units.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <memory>
#include <numbers>

namespace ember {
namespace {

constexpr double kBlendMs = 2.0;                // from one stroke to the next
constexpr double kStepMs = 5.0;                 // over a step
constexpr double kFarthestMs = 300.0;           // as far as a slow reader falls behind
constexpr double kNearMs = 5.0, kFarMs = 30.0;  // how far a step goes
constexpr double kWindowMs = 10.0;              // what has to look alike
constexpr int kCoarse = 4;  // every so many frames are compared first, at 48 kHz

constexpr std::size_t kTaps = StrokeShape::kTaps, kPhases = StrokeShape::kPhases;
constexpr int kHalf = kTaps / 2;
constexpr int kKernels = 13;  // a kernel for every semitone up
using Kernel = StrokeShape::Kernel;

// Windowed sincs, by semitones up, phase and tap; Kaiser's window with beta 9.
const std::array<Kernel, kKernels>& kernels() {
    static const auto made = [] {
        auto out = std::make_unique<std::array<Kernel, kKernels>>();
        constexpr double kBeta = 9.0;
        for (std::size_t k = 0; k < kKernels; ++k) {
            const double band = std::exp2(-static_cast<double>(k) / 12.0);
            for (std::size_t p = 0; p <= kPhases; ++p) {
                double sum = 0.0;
                std::array<double, kTaps> taps{};
                for (std::size_t t = 0; t < kTaps; ++t) {
                    const double x =
                        static_cast<double>(t) - (kHalf - 1) - static_cast<double>(p) / kPhases;
                    const double edge = x / kHalf;
                    const double window =
                        std::abs(edge) >= 1.0
                            ? 0.0
                            : std::cyl_bessel_i(0.0, kBeta * std::sqrt(1.0 - edge * edge)) /
                                  std::cyl_bessel_i(0.0, kBeta);
                    const double a = std::numbers::pi * band * x;
                    taps[t] = window * (std::abs(a) < 1e-12 ? 1.0 : std::sin(a) / a);
                    sum += taps[t];
                }
                for (std::size_t t = 0; t < kTaps; ++t)
                    (*out)[k][p][t] = static_cast<float>(taps[t] / sum);
            }
            // On a frame, untuned, exactly that frame.
            if (k > 0) continue;
            (*out)[0][0].fill(0.0F);
            (*out)[0][0][kHalf - 1] = 1.0F;
        }
        return out;
    }();
    return *made;
}

double bell(double x) {  // raised cosine, 0 to 1
    return 0.5 * (1.0 - std::cos(std::numbers::pi * std::clamp(x, 0.0, 1.0)));
}

const std::vector<Parameter>& strokeShapeTable() {
    static const std::vector<Parameter> table{
        {"tune",
         "Tune",
         Unit::semitones,
         -12.0,
         12.0,
         0.0,
         Scale::linear,
         "Every stroke higher or lower, from its first moment on. What bleeds in while it sounds "
         "is "
         "tuned with it: gate first.",
         {}},
        {"rise",
         "Fade in",
         Unit::milliseconds,
         0.0,
         80.0,
         0.0,
         Scale::linear,
         "Takes the stick off: the stroke comes in over this time.",
         {}},
        {"length",
         "Length",
         Unit::milliseconds,
         5.0,
         4000.0,
         400.0,
         Scale::logarithmic,
         "The stroke sounds as it did for so long, then fades.",
         {}},
        {"fade",
         "Fade out",
         Unit::milliseconds,
         2.0,
         4000.0,
         200.0,
         Scale::logarithmic,
         "How long the fade takes.",
         {}},
        {"floor",
         "Floor",
         Unit::dB,
         -90.0,
         0.0,
         0.0,
         Scale::linear,
         "Where the fade ends, and what is between strokes. At 0 dB nothing is shortened.",
         {}},
        structuralParameter({"look-ahead",
                             "Look-ahead",
                             Unit::milliseconds,
                             10.0,
                             100.0,
                             20.0,
                             Scale::linear,
                             "How much recording lies ahead of a stroke that is tuned up. Longer "
                             "means fewer seams in "
                             "what rings. Adds that latency, which is compensated.",
                             {}}),
        {"mix",
         "Mix",
         Unit::percent,
         0.0,
         100.0,
         100.0,
         Scale::linear,
         "Share of the shaped signal. Beside the untouched one a tuned one is a second drum.",
         {}},
    };
    return table;
}

}  // namespace

ProcessorType strokeShapeType() {
    return {
        "stroke",
        "Stroke pitch and length",
        Column::repair,
        false,
        "Tunes, softens and shortens the drum stroke by stroke, wherever its strokes were found.",
        "Waveform similarity: Verhelst & Roelands, ICASSP 1993; windowed sinc: Smith & Gossett, "
        "ICASSP 1984.",
        strokeShapeTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<StrokeShape>(spec, values);
        }};
}

StrokeShape::StrokeShape(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    kernels_ = kernels().data();
    const auto frames = [&](double ms) {
        return static_cast<int>(std::lround(framesFromMs(ms, spec.sampleRate)));
    };
    late_ = frames(values_[lookAhead]);
    blend_ = frames(kBlendMs);
    farthest_ = late_ + frames(kFarthestMs);
    const int needed =
        farthest_ + frames(kFarMs + 2.0 * kWindowMs + kStepMs) + 2 * kBlock + 2 * kHalf;
    const auto size = std::bit_ceil(static_cast<std::size_t>(needed));
    mask_ = size - 1;
    // Told at most when they come in, each at a frame of its own.
    pending_.resize(static_cast<std::size_t>(late_) + static_cast<std::size_t>(blend_) +
                    std::size_t{2} * kBlock);
    for (int c = 0; c < spec.channels; ++c) ring_[static_cast<std::size_t>(c)].assign(size, 0.0F);
    for (Smoother* s : {&tune_, &floor_, &mix_}) s->prepare(spec.sampleRate);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    StrokeShape::reset();
}

void StrokeShape::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    if (index == tune) tune_.aim(value);
    if (index == floor)
        floor_.aim(value <= strokeShapeTable()[floor].minimum ? 0.0 : gainFromDb(value));
    if (index == mix) mix_.aim(value / 100.0);
}

void StrokeShape::reset() {
    for (auto& ring : ring_) std::fill(ring.begin(), ring.end(), 0.0F);
    for (Smoother* s : {&tune_, &floor_, &mix_}) s->jump(s->target());
    ratio_ = std::exp2(tune_.value() / 12.0);
    written_ = 0;
    newest_ = blendLeft_ = pendingCount_ = 0;
    for (Voice& v : voices_) v = {static_cast<double>(-late_), -1.0, 0.0, 0};
}

void StrokeShape::await(const Pending& stroke) {
    // Of two at one frame the later word counts.
    if (pendingCount_ > 0 && pending_[static_cast<std::size_t>(pendingCount_ - 1)].at >= stroke.at)
        --pendingCount_;
    pending_[static_cast<std::size_t>(pendingCount_++)] = stroke;
}

void StrokeShape::strike(std::span<const BlockEvent> strikes) {
    for (const BlockEvent& s : strikes) {
        const std::int64_t at = written_ + s.frame + late_ - s.age;
        if (!s.anew) {
            // One that sounds already is taken up where it is.
            await({std::max(at, written_ + s.frame),
                   static_cast<double>(std::max<std::int64_t>(0, s.age - late_))});
            continue;
        }
        // The other place comes out at the end of the fade over to it.
        while (pendingCount_ > 0 && pending_[static_cast<std::size_t>(pendingCount_ - 1)].at > at)
            --pendingCount_;
        await({std::max(at, written_ + s.frame), -1.0});
    }
}

double StrokeShape::envelope(const Voice& v) const {
    const double low = floor_.value();
    if (v.age < 0.0) return low;
    const double up = framesFromMs(values_[rise], spec_.sampleRate),
                 whole = blend_ + framesFromMs(values_[length], spec_.sampleRate),
                 down = framesFromMs(values_[fade], spec_.sampleRate);
    const double in = up > 0.0 ? bell(v.age / up) : 1.0;
    const double out =
        v.age <= whole ? 1.0 : low + (1.0 - low) * (1.0 - bell((v.age - whole) / down));
    return in * out;
}

// How far back or ahead (frames, signed as given) the recording looks most like what lies just
// before `at`.
double StrokeShape::alike(double at, double nearest, double farthest) const {
    const auto window = static_cast<std::int64_t>(framesFromMs(kWindowMs, spec_.sampleRate));
    const auto here = static_cast<std::int64_t>(std::floor(at));
    const auto sample = [&](std::int64_t i) {
        const auto place = static_cast<std::size_t>(i) & mask_;
        return ring_[0][place] + (spec_.channels == 2 ? ring_[1][place] : 0.0F);
    };
    const auto score = [&](std::int64_t moved, std::int64_t by) {
        float both = 0.0F, there = 1e-20F;
        for (std::int64_t i = here - window; i < here; i += by) {
            const float a = sample(i), b = sample(i + moved);
            both += a * b;
            there += b * b;
        }
        return both / std::sqrt(there);
    };
    const auto coarse =
        static_cast<std::int64_t>(std::max(1.0, std::round(kCoarse * spec_.sampleRate / 48000.0)));
    const auto from = static_cast<std::int64_t>(std::min(nearest, farthest)),
               to = static_cast<std::int64_t>(std::max(nearest, farthest));
    std::int64_t best = static_cast<std::int64_t>(nearest);
    float most = -1e30F;
    const auto consider = [&](std::int64_t moved, std::int64_t by) {
        const float s = score(moved, by);
        if (s > most) {
            most = s;
            best = moved;
        }
    };
    for (std::int64_t moved = from; moved <= to; moved += coarse) consider(moved, coarse);
    const std::int64_t about = best;
    most = -1e30F;
    for (std::int64_t moved = std::max(from, about - coarse); moved <= std::min(to, about + coarse);
         ++moved)
        consider(moved, 1);
    return static_cast<double>(best);
}

// One frame on; steps where the recording ends or the reader has fallen too far behind. `end`:
// frames of input that may be read, `grows`: how many more there are a frame later.
void StrokeShape::advance(Voice& v, double end, double grows) {
    v.at += ratio_;
    if (v.age >= 0.0) v.age += 1.0;
    if (v.stepLeft > 0) {
        --v.stepLeft;
        return;
    }
    if (ratio_ == 1.0) return;
    const double over = framesFromMs(kStepMs, spec_.sampleRate),
                 nearest = framesFromMs(kNearMs, spec_.sampleRate),
                 farthest = framesFromMs(kFarMs, spec_.sampleRate), behind = end - v.at;
    // While it fades over, the reader moves on; what it reads has to be there.
    const double least = kHalf + 1 + std::max(0.0, ratio_ - grows) * (over + 1.0);
    double moved = 0.0;
    if (behind < least) moved = alike(v.at, -nearest, -farthest);
    if (behind > farthest_) moved = alike(v.at, nearest, farthest);
    if (moved == 0.0) return;
    v.at += moved;
    v.step = -moved;
    v.stepLeft = static_cast<int>(over);
}

void StrokeShape::decide(int frames) {
    const double over = framesFromMs(kStepMs, spec_.sampleRate);
    for (int i = 0; i < frames; ++i) {
        // Only what has been heard by this frame counts, however long the block is.
        const std::int64_t now = written_ + i + 1;
        if (tune_.moving()) ratio_ = std::exp2(tune_.next() / 12.0);
        (void)floor_.next();
        while (pendingCount_ > 0 && pending_[0].at <= now - 1) {
            const double age = pending_[0].age;
            std::copy(pending_.begin() + 1, pending_.begin() + pendingCount_, pending_.begin());
            --pendingCount_;
            newest_ = 1 - newest_;
            // Early by the blend, so that the stroke's first frame comes at its time; what is older
            // goes on from where it is.
            const double early = age == 0.0 ? (ratio_ - 1.0) * blend_ : 0.0;
            voices_[newest_] = {static_cast<double>(now - 1 - late_) - early, age, 0.0, 0};
            blendLeft_ = blend_;
        }
        // A reader that runs ahead must not come to the next stroke before its time.
        const std::int64_t end =
            pendingCount_ > 0 ? std::min(now, pending_[0].at - late_ + blend_) : now;
        const double share =
            blendLeft_ > 0 ? bell(1.0 - static_cast<double>(blendLeft_) / blend_) : 1.0;
        if (blendLeft_ > 0) --blendLeft_;
        Frame& f = frames_[i];
        for (int k = 0; k < 2; ++k) {
            Voice& v = voices_[k];
            const double part = k == newest_ ? share : 1.0 - share;
            f.at[k] = v.at;
            f.from[k] = v.at + v.step;
            f.fromShare[k] =
                v.stepLeft > 0 ? static_cast<float>(1.0 - bell(1.0 - v.stepLeft / over)) : 0.0F;
            f.gain[k] = part > 0.0 ? static_cast<float>(part * envelope(v)) : 0.0F;
            if (part > 0.0 || k == newest_)
                advance(v, static_cast<double>(end), end < now ? 0.0 : 1.0);
        }
        // Both at one place: one reader with the sum of both, so that nothing is rounded.
        if (f.at[0] == f.at[1] && f.gain[0] != 0.0F && f.gain[1] != 0.0F) {
            const double both =
                share * envelope(voices_[newest_]) + (1.0 - share) * envelope(voices_[1 - newest_]);
            f.gain[newest_] = static_cast<float>(both);
            f.gain[1 - newest_] = 0.0F;
        }
        f.wet = static_cast<float>(mix_.next());
    }
    kernel_ =
        std::clamp(static_cast<int>(std::ceil(12.0 * std::log2(std::max(1.0, ratio_)) - 1e-9)), 0,
                   kKernels - 1);
}

void StrokeShape::store(const AudioBlock& io) {
    for (int c = 0; c < io.channels; ++c) {
        for (int i = 0; i < io.frames; ++i)
            ring_[static_cast<std::size_t>(c)][static_cast<std::size_t>(written_ + i) & mask_] =
                io.channel[c][i];
    }
}

float StrokeShape::read(int channel, double at, int kernel) const {
    const double whole = std::floor(at);
    const double phase = (at - whole) * kPhases;
    const auto p = static_cast<std::size_t>(phase);
    const auto between = static_cast<float>(phase - static_cast<double>(p));
    const Kernel& k = kernels_[static_cast<std::size_t>(kernel)];
    const auto first = static_cast<std::int64_t>(whole) - (kHalf - 1);
    float low = 0.0F, high = 0.0F;
    for (std::size_t t = 0; t < kTaps; ++t) {
        const float x =
            ring_[static_cast<std::size_t>(channel)]
                 [static_cast<std::size_t>(first + static_cast<std::int64_t>(t)) & mask_];
        low += x * k[p][t];
        high += x * k[std::min<std::size_t>(p + 1, kPhases)][t];
    }
    return between == 0.0F ? low : low + between * (high - low);
}

void StrokeShape::apply(const AudioBlock& io, const Frame* frames) const {
    for (int c = 0; c < io.channels; ++c) {
        for (int i = 0; i < io.frames; ++i) {
            const Frame& f = frames[i];
            float out = 0.0F;
            for (int k = 0; k < 2; ++k) {
                if (f.gain[k] == 0.0F) continue;
                float x = read(c, f.at[k], kernel_);
                if (f.fromShare[k] > 0.0F) x += f.fromShare[k] * (read(c, f.from[k], kernel_) - x);
                out += f.gain[k] * x;
            }
            if (f.wet < 1.0F) {
                const float dry = ring_[static_cast<std::size_t>(c)]
                                       [static_cast<std::size_t>(written_ + i - late_) & mask_];
                out = dry + f.wet * (out - dry);
            }
            io.channel[c][i] = out;
        }
    }
}

void StrokeShape::process(const AudioBlock& io, const AudioBlock&) {
    store(io);
    float peak = 0.0F, least = 1.0F;
    for (int c = 0; c < io.channels; ++c) {
        for (int i = 0; i < io.frames; ++i) peak = std::max(peak, std::abs(io.channel[c][i]));
    }
    decide(io.frames);
    for (int i = 0; i < io.frames; ++i)
        least = std::min(least, frames_[i].gain[0] + frames_[i].gain[1]);
    reading_ = {peak, static_cast<float>(dbFromGain(static_cast<double>(least)))};
    apply(io, frames_);
    written_ += io.frames;
}

void StrokeShape::replay(const AudioBlock& io, const Processor& master) {
    const auto& m = static_cast<const StrokeShape&>(master);
    kernel_ = m.kernel_;
    // The master has counted this block already.
    written_ = m.written_ - io.frames;
    store(io);
    apply(io, m.frames_);
    written_ += io.frames;
}

}  // namespace ember
