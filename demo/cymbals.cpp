#include "demo/cymbals.h"

#include "core/base/random.h"
#include "core/dsp/simd.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember::demo {
namespace {

using std::numbers::pi;
constexpr int kLanes = 16;

struct Voice {
    double low, high;  // range of modes, Hz
    int modes;
    double tilt;  // level of high modes against low ones, dB per octave
    double level;
    double top;    // Hz from which the modes radiate less and less
    double build;  // seconds in which the upper modes wake up
};

Voice voiceOf(Drum drum) {
    if (drum == Drum::hat) return {340.0, 16500.0, 208, 3.4, 0.080, 11000.0, 0.001};
    if (drum == Drum::ride) return {290.0, 15500.0, 240, 1.6, 0.080, 7500.0, 0.006};
    return {210.0, 16000.0, 288, 1.6, 0.14, 8000.0, 0.016};
}

// Decaying phasors, in groups of lanes.
struct Bank {
    std::vector<float> re, im, c, s, level;
    std::vector<double> frequency, t60;
    std::vector<float> phase;

    void setDecay(double rate, double scale) {
        for (std::size_t k = 0; k < frequency.size(); ++k) {
            const double decay =
                std::exp(std::log(1e-3) / (std::max(0.012, t60[k] * scale) * rate));
            c[k] = static_cast<float>(decay * std::cos(2.0 * pi * frequency[k] / rate));
            s[k] = static_cast<float>(decay * std::sin(2.0 * pi * frequency[k] / rate));
        }
    }
};

// Runs the bank for `frames` samples.
EMBER_CLONES void ring(float* re, float* im, const float* c, const float* s, std::size_t modes,
                       float* out, std::size_t frames) {
    for (std::size_t i = 0; i < frames; ++i) {
        float sum[kLanes] = {};
        for (std::size_t k = 0; k < modes; k += kLanes) {
            for (std::size_t l = 0; l < kLanes; ++l) {
                const float r = re[k + l] * c[k + l] - im[k + l] * s[k + l];
                const float m = re[k + l] * s[k + l] + im[k + l] * c[k + l];
                re[k + l] = r;
                im[k + l] = m;
                sum[l] += m;
            }
        }
        float total = 0.0F;
        for (const float x : sum) total += x;
        out[i] += total;
    }
}

// How long the cymbal rings under an articulation, as a factor on its free decay.
double damping(Drum drum, Articulation a, const Kit& kit) {
    if (drum != Drum::hat) return 1.0;
    if (a == Articulation::open) return 1.0;
    return (a == Articulation::pedal ? 0.055 : 0.10) / kit.hatOpenT60;
}

struct Event {
    std::size_t frame = 0;
    double velocity = 0.0;  // 0: damping only
    double damp = 1.0;
    Articulation articulation = Articulation::normal;
};

}  // namespace

std::vector<float> ringCymbal(Drum drum, const Kit& kit, const std::vector<Stroke>& strokes,
                              const KitOptions& options) {
    const double rate = options.sampleRate;
    const Voice voice = voiceOf(drum);
    Random random(options.seed * 17 + static_cast<std::uint64_t>(drum) * 1009);
    const double free =
        drum == Drum::hat ? kit.hatOpenT60 : (drum == Drum::ride ? kit.rideT60 : kit.crashT60);
    Bank bank;
    for (int k = 0; k < voice.modes; ++k) {
        // Plate-like density: more modes per octave towards the top.
        const double u = (k + random.uniform()) / voice.modes;
        const double f =
            std::min(voice.low * std::pow(voice.high / voice.low, std::pow(u, 0.72)), 0.46 * rate);
        bank.frequency.push_back(f);
        bank.t60.push_back(free * std::pow(f / 1200.0, f > 1200.0 ? -0.55 : -0.15) *
                           random.uniform(0.7, 1.3));
        bank.level.push_back(static_cast<float>(
            voice.level * std::pow(10.0, voice.tilt * std::log2(f / 2000.0) / 20.0) /
            (1.0 + std::pow(f / voice.top, 3.0)) * std::abs(0.6 + 0.5 * random.normal())));
    }
    const std::size_t modes = bank.frequency.size();
    for (auto* v : {&bank.re, &bank.im, &bank.c, &bank.s}) v->assign(modes, 0.0F);

    std::vector<Event> events;
    const auto frames = static_cast<std::size_t>(options.seconds * rate);
    for (const Stroke& s : strokes) {
        if (s.drum != drum) continue;
        const auto at = static_cast<std::size_t>(std::llround(s.time * rate));
        const double damp = damping(drum, s.articulation, kit);
        events.push_back({at, s.velocity, damp, s.articulation});
        // The upper modes wake up late (energy climbs the modes): two later, softer pushes.
        for (const double share : {0.5, 1.0}) {
            events.push_back({at + static_cast<std::size_t>(share * voice.build * rate) + 1,
                              -s.velocity, damp, s.articulation});
        }
    }
    // A crash that ends a phrase is choked by hand now and then.
    std::stable_sort(events.begin(), events.end(),
                     [](const Event& a, const Event& b) { return a.frame < b.frame; });
    if (drum == Drum::crash && events.size() >= 6) {
        events.push_back({events[5].frame + static_cast<std::size_t>(0.7 * rate), 0.0, 0.07,
                          Articulation::normal});
        std::stable_sort(events.begin(), events.end(),
                         [](const Event& a, const Event& b) { return a.frame < b.frame; });
    }

    std::vector<float> out(frames, 0.0F);
    bank.setDecay(rate, 1.0);
    std::size_t at = 0;
    for (std::size_t e = 0; e <= events.size(); ++e) {
        const std::size_t until = e < events.size() ? std::min(events[e].frame, frames) : frames;
        if (until > at)
            ring(bank.re.data(), bank.im.data(), bank.c.data(), bank.s.data(), modes,
                 out.data() + at, until - at);
        at = std::max(at, until);
        if (e == events.size()) break;
        const Event& event = events[e];
        bank.setDecay(rate, event.damp);
        const double v = std::abs(event.velocity), level = std::pow(v, 1.35);
        const bool late = event.velocity < 0.0;
        for (std::size_t k = 0; k < modes; ++k) {
            const double f = bank.frequency[k];
            // Harder strokes reach higher modes; bells speak in their lower ones.
            double reach = std::pow(std::min(1.0, 3000.0 / f), 1.1 * (1.0 - v));
            if (event.articulation == Articulation::bell) reach *= f < 4200.0 ? 1.6 : 0.55;
            if (event.articulation == Articulation::pedal) reach *= f < 5000.0 ? 0.9 : 0.5;
            if (late) reach *= 0.45 * std::min(1.0, f / 6000.0);
            const double push = level * reach * static_cast<double>(bank.level[k]) *
                                (0.75 + 0.5 * random.uniform());
            const double angle = 2.0 * pi * random.uniform();
            bank.re[k] += static_cast<float>(push * std::cos(angle));
            bank.im[k] += static_cast<float>(push * std::sin(angle));
        }
    }
    return out;
}

}  // namespace ember::demo
