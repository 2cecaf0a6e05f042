#include "core/dsp/clipper.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kNear = 1e-5;  // steps smaller than this divide badly: the middle is taken instead

const std::vector<Parameter>& clipperTable() {
    static const std::vector<Parameter> table{
        {"ceiling",
         "Ceiling",
         Unit::dB,
         -24.0,
         0.0,
         -3.0,
         Scale::linear,
         "Nothing of the wave stands above this.",
         {}},
        {"bend",
         "Bend",
         Unit::percent,
         0.0,
         100.0,
         0.0,
         Scale::linear,
         "0 cuts at a corner: loudest for its level. More rounds the wave from further below.",
         {}},
        {"drive",
         "Drive",
         Unit::dB,
         0.0,
         24.0,
         0.0,
         Scale::linear,
         "Gain before the ceiling: how much of the peaks is taken.",
         {}},
        {"mix",
         "Mix",
         Unit::percent,
         0.0,
         100.0,
         100.0,
         Scale::linear,
         "Share of the clipped signal; the rest is the untouched one, in time with it.",
         {}},
        trimParameter(),
    };
    return table;
}

double logCosh(double x) {
    const double a = std::abs(x);
    return a + std::log1p(std::exp(-2.0 * a)) - std::log(2.0);
}

}  // namespace

double clipLoss(double x, double ceiling, double bend) {
    const double start = ceiling * (1.0 - bend), room = ceiling - start, a = std::abs(x);
    if (a <= start) return 0.0;
    const double y = room > 1e-9 ? start + room * std::tanh((a - start) / room) : ceiling;
    return x < 0.0 ? a - y : y - a;
}

double clipLossIntegral(double x, double ceiling, double bend) {
    const double start = ceiling * (1.0 - bend), room = ceiling - start, a = std::abs(x);
    if (a <= start) return 0.0;
    const double over = a - start;
    const double bent = room > 1e-9 ? room * room * logCosh(over / room) : room * over;
    return bent - 0.5 * over * over;
}

ProcessorType clipperType() {
    return {
        "clipper",
        "Clipper",
        Column::colour,
        false,
        "Takes the tips of the peaks: louder for the same headroom, until the attack suffers.",
        "Antiderivative antialiasing; Parker, Zavalishin & Le Bivic, DAFx 2016.",
        clipperTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Clipper>(spec, values);
        }};
}

Clipper::Clipper(const ProcessSpec& spec, std::span<const double> values)
    : values_(values.begin(), values.end()), oversampler_(spec.channels) {
    dryDelay_.prepare(spec.channels, oversampler_.latency());
    for (Smoother* s : {&ceiling_, &bend_, &drive_, &mix_}) s->prepare(spec.sampleRate);
    trim_.prepare(spec.sampleRate);
    for (int i = 0; i < static_cast<int>(values_.size()); ++i)
        setValue(i, values_[static_cast<std::size_t>(i)]);
    Clipper::reset();
}

void Clipper::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    switch (index) {
        case ceiling:
            ceiling_.aim(gainFromDb(value));
            break;
        case bend:
            bend_.aim(value / 100.0);
            break;
        case drive:
            drive_.aim(gainFromDb(value));
            break;
        case mix:
            mix_.aim(value / 100.0);
            break;
        case output:
            trim_.set(value);
            break;
        default:
            break;
    }
}

void Clipper::reset() {
    oversampler_.reset();
    dryDelay_.reset();
    last_[0] = last_[1] = 0.0;
    for (Smoother* s : {&ceiling_, &bend_, &drive_, &mix_}) s->jump(s->target());
    trim_.reset();
}

void Clipper::process(const AudioBlock& io, const AudioBlock&) {
    double top[kBlock], round[kBlock], push[kBlock], wet[kBlock];
    for (int i = 0; i < io.frames; ++i) {
        top[i] = ceiling_.next();
        round[i] = bend_.next();
        push[i] = drive_.next();
        wet[i] = mix_.next();
    }
    float dry[2][kBlock];
    float loudest = 0.0F;
    double least = 1.0;  // gain
    for (int ch = 0; ch < io.channels; ++ch) {
        float* x = io.channel[ch];
        std::copy_n(x, io.frames, dry[ch]);
        const std::span<float> fast = oversampler_.up(ch, x, io.frames);
        double last = last_[ch];
        // The integral up to the last sample is known from the step before, unless the curve moved.
        double known = 0.0, knownTop = -1.0, knownRound = 0.0;
        for (std::size_t i = 0; i < fast.size(); ++i) {
            const std::size_t slow = i / Oversampler::kFactor;
            const double now = static_cast<double>(fast[i]) * push[slow], step = now - last;
            double loss = 0.0;
            if (std::abs(step) > kNear) {
                const double before = knownTop == top[slow] && knownRound == round[slow]
                                          ? known
                                          : clipLossIntegral(last, top[slow], round[slow]);
                known = clipLossIntegral(now, top[slow], round[slow]);
                knownTop = top[slow];
                knownRound = round[slow];
                loss = (known - before) / step;
            } else {
                loss = clipLoss(0.5 * (now + last), top[slow], round[slow]);
                knownTop = -1.0;
            }
            loudest = std::max(loudest, static_cast<float>(std::abs(now)));
            if (std::abs(now) > top[slow]) least = std::min(least, 1.0 + loss / now);
            last = now;
            fast[i] = static_cast<float>(now + loss);
        }
        last_[ch] = last;
        oversampler_.down(ch, x, io.frames);
    }
    dryDelay_.process({{dry[0], dry[1]}, io.channels, io.frames});
    for (int ch = 0; ch < io.channels; ++ch) {
        for (int i = 0; i < io.frames; ++i)
            io.channel[ch][i] =
                static_cast<float>(wet[i] * static_cast<double>(io.channel[ch][i]) +
                                   (1.0 - wet[i]) * static_cast<double>(dry[ch][i]));
    }
    trim_.apply(io);
    reading_ = {loudest, static_cast<float>(dbFromGain(std::max(1e-3, least)))};
}

}  // namespace ember
