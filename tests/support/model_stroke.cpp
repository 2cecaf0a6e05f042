#include "tests/support/model_stroke.h"

#include "core/measure/strokes/stroke_figures.h"
#include "core/measure/strokes/typical.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace ember::test {
namespace {

constexpr double kClickSeconds = 0.004, kClickHertz = 2500.0;

// Seconds for 60 dB: the drum's own, or longer where even without a click that would leave too
// little body.
double decayOf(const DrumTone& tone) {
    const auto attackToBody = [](double t60) {
        const double fall = 2.0 * 6.908 / t60, early = std::exp(-fall * kAttackSeconds);
        return 10.0 * std::log10((1.0 - early) / (early - std::exp(-fall * kStrokeSeconds)));
    };
    double low = tone.decayT60 > 0.0 ? tone.decayT60 : 0.4, high = 20.0;
    if (attackToBody(low) <= tone.transientToBodyDb) return low;
    for (int n = 0; n < 40; ++n) {
        const double t60 = 0.5 * (low + high);
        (attackToBody(t60) > tone.transientToBodyDb ? low : high) = t60;
    }
    return low;
}

}  // namespace

std::vector<float> modelStroke(const DrumTone& tone) {
    const double note = tone.fundamental > 0.0 ? tone.fundamental : 300.0, t60 = decayOf(tone);
    const auto frames = static_cast<std::size_t>(kStrokeSeconds * kTypicalRate),
               early = static_cast<std::size_t>(kAttackSeconds * kTypicalRate);
    std::vector<double> body(frames), click(frames);
    // Energy of both and of their product, in the attack and in the rest.
    double bodyTwo[2] = {}, clickTwo[2] = {}, cross[2] = {};
    // Decaying vibrations as powers of a complex number: advice cannot wait for sines.
    const auto turn = [](double hertz, double perSecond) {
        return std::polar(std::exp(-perSecond / kTypicalRate),
                          2.0 * std::numbers::pi * hertz / kTypicalRate);
    };
    const std::complex<double> bodyTurn = turn(note, 6.908 / t60),
                               clickTurn = turn(kClickHertz, 1.0 / kClickSeconds);
    std::complex<double> bodyNow = 1.0, clickNow = 1.0;
    for (std::size_t i = 0; i < frames; ++i) {
        body[i] = bodyNow.imag();
        click[i] = clickNow.real();
        bodyNow *= bodyTurn;
        clickNow *= clickTurn;
        const std::size_t part = i < early ? 0 : 1;
        bodyTwo[part] += body[i] * body[i];
        clickTwo[part] += click[i] * click[i];
        cross[part] += body[i] * click[i];
    }
    // More click, more attack against body: halving finds how much.
    double low = 0.0, high = 30.0;
    for (int n = 0; n < 40; ++n) {
        const double c = 0.5 * (low + high);
        const auto energy = [&](std::size_t part) {
            return bodyTwo[part] + 2.0 * c * cross[part] + c * c * clickTwo[part] + 1e-20;
        };
        (10.0 * std::log10(energy(0) / energy(1)) < tone.transientToBodyDb ? low : high) = c;
    }
    std::vector<float> out(frames);
    double peak = 1e-9;
    for (std::size_t i = 0; i < frames; ++i)
        peak = std::max(peak, std::abs(body[i] + low * click[i]));
    for (std::size_t i = 0; i < frames; ++i)
        out[i] = static_cast<float>((body[i] + low * click[i]) / peak);
    return out;
}

}  // namespace ember::test
