// Heads, shells, beaters, wires.

#include "core/base/random.h"
#include "demo/cymbals.h"
#include "demo/kit.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>

namespace ember::demo {
namespace {

using std::numbers::pi;

// Level ratios and decay shares of a struck head's partials. The frequency ratios lie
// between the ideal membrane's (1, 1.59, 2.14, 2.30, 2.65, 2.92 ...) and those of
// two heads coupled by air.
struct Partial {
    double ratio, level, decay;
};
constexpr std::array<Partial, 11> kHead{{{1.0, 1.0, 1.0},
                                         {1.56, 0.42, 0.62},
                                         {1.83, 0.34, 0.5},
                                         {2.15, 0.24, 0.44},
                                         {2.41, 0.20, 0.4},
                                         {2.78, 0.15, 0.34},
                                         {3.12, 0.12, 0.3},
                                         {3.55, 0.10, 0.26},
                                         {4.1, 0.08, 0.22},
                                         {4.9, 0.06, 0.18},
                                         {5.8, 0.045, 0.15}}};

struct HeadSound {
    double fundamental, t60, glide, glideMs, contactMs, brightness;
};

// A head's answer to one stroke, added to `out` from `start` on.
void addHead(std::vector<float>& out, std::size_t start, const HeadSound& head, double velocity,
             double rate, Random& random) {
    const double level = std::pow(velocity, 1.45);
    const double contact = head.contactMs * 1e-3 * (1.7 - velocity);
    const double detune = 1.0 + 0.002 * random.normal();
    for (const Partial& p : kHead) {
        const double f = head.fundamental * p.ratio * detune;
        const double t60 = head.t60 * p.decay;
        // A half-sine push of length `contact` excites less above 1 / contact.
        const double x = f * contact;
        const double excited = level * p.level * (1.0 + 0.12 * random.normal()) / (1.0 + x * x) *
                               std::pow(p.ratio, head.brightness);
        const double decay = std::exp(std::log(1e-3) / (t60 * rate));
        const auto frames = std::min(out.size() - std::min(start, out.size()),
                                     static_cast<std::size_t>(t60 * rate * 1.2));
        std::complex<double> z(0.0, -excited), turn;
        for (std::size_t i = 0; i < frames; ++i) {
            if (i % 16 == 0) {
                const double t = static_cast<double>(i) / rate;
                const double bend =
                    1.0 + head.glide * velocity * velocity * std::exp(-t * 1000.0 / head.glideMs);
                turn = std::polar(decay, 2.0 * pi * f * bend / rate);
            }
            out[start + i] += static_cast<float>(z.real());
            z *= turn;
        }
    }
}

// Noise through one resonant band, with an exponential envelope: sticks, beaters, wires.
struct NoiseBurst {
    double level, attackMs, decayMs, low, high;  // band in Hz
};
void addNoise(std::vector<float>& out, std::size_t start, const NoiseBurst& burst, double rate,
              Random& random) {
    const double lowStep = 1.0 - std::exp(-2.0 * pi * burst.low / rate),
                 highStep = 1.0 - std::exp(-2.0 * pi * burst.high / rate);
    const double fall = std::exp(-1000.0 / (burst.decayMs * rate));
    const double rise = std::max(1.0, burst.attackMs * 1e-3 * rate);
    double envelope = burst.level, top = 0.0, top2 = 0.0, bottom = 0.0, bottom2 = 0.0;
    for (std::size_t i = 0; start + i < out.size() && envelope > 1e-6; ++i) {
        top += highStep * (static_cast<double>(random.noise()) - top);
        top2 += highStep * (top - top2);
        bottom += lowStep * (top2 - bottom);
        bottom2 += lowStep * (top2 - bottom - bottom2);
        const double opening = std::min(1.0, (static_cast<double>(i) + 1.0) / rise);
        out[start + i] += static_cast<float>(envelope * opening * (top2 - bottom - bottom2));
        envelope *= fall;
    }
}

void addClick(std::vector<float>& out, std::size_t start, double level, double hz, double ms,
              double rate) {
    const auto frames = static_cast<std::size_t>(ms * 1e-3 * rate * 5.0);
    for (std::size_t i = 0; i < frames && start + i < out.size(); ++i) {
        const double t = static_cast<double>(i) / rate;
        out[start + i] +=
            static_cast<float>(level * std::exp(-t * 1000.0 / ms) * std::sin(2.0 * pi * hz * t));
    }
}

std::size_t frameOf(const Stroke& stroke, double rate) {
    return static_cast<std::size_t>(std::llround(stroke.time * rate));
}

void kick(const Kit& kit, const Stroke& s, double rate, Radiation& out, Random& random) {
    const std::size_t at = frameOf(s, rate);
    const double v = s.velocity;
    addHead(out.first, at, {kit.kickHz * 1.06, kit.kickT60 * 0.7, 0.5, 26.0, 2.0, 0.0}, v, rate,
            random);
    addHead(out.second, at, {kit.kickHz, kit.kickT60, 0.35, 34.0, 3.5, -0.5}, v, rate, random);
    const double hard = std::pow(v, 2.0);
    addClick(out.first, at, 0.50 * hard, 3300.0 + 250.0 * random.normal(), 1.3, rate);
    addClick(out.first, at, 0.30 * hard, 1250.0 + 60.0 * random.normal(), 3.0, rate);
    addNoise(out.first, at, {2.2 * hard, 0.1, 3.2, 1500.0, 8000.0}, rate, random);
    for (const double f : {262.0, 318.0, 402.0})
        addClick(out.first, at, 0.13 * std::pow(v, 1.5), f, 24.0, rate);
    addNoise(out.second, at, {0.30 * hard, 0.5, 9.0, 300.0, 3000.0}, rate, random);
}

void snare(const Kit& kit, const Stroke& s, double rate, Radiation& out, Random& random) {
    const std::size_t at = frameOf(s, rate);
    const double v = s.velocity;
    addHead(out.first, at, {kit.snareHz, kit.snareT60, 0.05, 18.0, 0.42, 0.18}, v, rate, random);
    // The ring a drummer tapes away: one partial that outlasts the others.
    addClick(out.first, at, 0.16 * std::pow(v, 1.6), kit.snareRingHz,
             kit.snareRingT60 * 1000.0 / 6.9, rate);
    addNoise(out.first, at, {1.9 * std::pow(v, 1.9), 0.05, 2.4, 900.0, 11000.0}, rate, random);
    const double wires = kit.wireLevel * std::pow(v, 1.55);
    const std::size_t later = at + static_cast<std::size_t>(0.0009 * rate);
    addNoise(out.second, later, {1.5 * wires, 1.2, 24.0, 1800.0, 12000.0}, rate, random);
    addNoise(out.second, later, {0.55 * wires, 4.0, 62.0 + 26.0 * v, 2400.0, 9000.0}, rate, random);
}

void tom(double hz, double t60, const Stroke& s, double rate, Radiation& out, Random& random) {
    const std::size_t at = frameOf(s, rate);
    const double v = s.velocity;
    addHead(out.first, at, {hz, t60, 0.09, 70.0, 0.8, -0.12}, v, rate, random);
    addNoise(out.first, at, {1.0 * std::pow(v, 1.9), 0.05, 3.0, 1200.0, 8000.0}, rate, random);
    addClick(out.first, at, 0.14 * v * v, 3900.0 + 200.0 * random.normal(), 1.4, rate);
}

}  // namespace

Kit makeKit(const KitOptions& options) {
    Kit kit;
    if (options.variation <= 0.0) return kit;
    Random random(options.seed * 104729 + 3);
    for (double* value :
         {&kit.kickHz, &kit.snareHz, &kit.rackHz, &kit.floorHz, &kit.kickT60, &kit.snareT60,
          &kit.rackT60, &kit.floorT60, &kit.snareRingHz, &kit.snareRingT60, &kit.wireLevel,
          &kit.rideT60, &kit.crashT60, &kit.hatOpenT60}) {
        *value *= 1.0 + 0.3 * options.variation * random.uniform(-1.0, 1.0);
    }
    kit.rackHz = std::max(kit.rackHz, kit.floorHz * 1.2);
    return kit;
}

Radiation radiate(Drum drum, const Kit& kit, const std::vector<Stroke>& strokes,
                  const KitOptions& options) {
    const double rate = options.sampleRate;
    const auto frames = static_cast<std::size_t>(options.seconds * rate);
    Radiation out;
    out.first.assign(frames, 0.0F);
    if (drum == Drum::kick || drum == Drum::snare) out.second.assign(frames, 0.0F);
    Random random(options.seed * 31 + static_cast<std::uint64_t>(drum) + 101);
    if (drum == Drum::hat || drum == Drum::ride || drum == Drum::crash) {
        out.first = ringCymbal(drum, kit, strokes, options);
        return out;
    }
    for (const Stroke& stroke : strokes) {
        if (stroke.drum != drum) continue;
        if (drum == Drum::kick) kick(kit, stroke, rate, out, random);
        if (drum == Drum::snare) snare(kit, stroke, rate, out, random);
        if (drum == Drum::rackTom) tom(kit.rackHz, kit.rackT60, stroke, rate, out, random);
        if (drum == Drum::floorTom) tom(kit.floorHz, kit.floorT60, stroke, rate, out, random);
    }
    return out;
}

}  // namespace ember::demo
