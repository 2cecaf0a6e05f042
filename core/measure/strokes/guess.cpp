#include "core/measure/strokes/guess.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ember {
namespace {

// What a drum without a microphone of its own looks like over the kit, before anything is learnt:
// how much of each band's loudest blows it makes, at once and 45 ms later, from what is known of
// drums in general (Fletcher & Rossing, The Physics of Musical Instruments, ch. 18 and 20).
constexpr std::array<double, 7> kGuessHertz{60.0, 130.0, 300.0, 1000.0, 3000.0, 8000.0, 16000.0};
struct Guess {
    DrumFamily family;
    std::array<double, 7> at, later;
    int side;  // -1 both channels, 0 more left, 1 more right
};
constexpr std::array<Guess, 10> kGuesses{{
    {DrumFamily::kick,
     {1.0, 0.6, 0.3, 0.25, 0.25, 0.1, 0.05},
     {0.4, 0.2, 0.05, 0.01, 0.01, 0.01, 0.01},
     -1},
    {DrumFamily::snare,
     {0.1, 0.3, 0.9, 0.9, 1.0, 0.8, 0.6},
     {0.05, 0.2, 0.4, 0.2, 0.2, 0.2, 0.1},
     -1},
    {DrumFamily::hat,
     {0.01, 0.02, 0.03, 0.1, 0.3, 0.8, 0.9},
     {0.01, 0.01, 0.01, 0.02, 0.05, 0.15, 0.15},
     0},
    {DrumFamily::hat,
     {0.01, 0.02, 0.03, 0.1, 0.3, 0.8, 0.9},
     {0.01, 0.01, 0.01, 0.05, 0.3, 0.9, 0.9},
     0},
    {DrumFamily::tom,
     {0.3, 1.0, 0.9, 0.3, 0.3, 0.1, 0.05},
     {0.3, 1.0, 0.7, 0.1, 0.02, 0.01, 0.01},
     -1},
    {DrumFamily::tom,
     {0.9, 1.0, 0.6, 0.25, 0.25, 0.1, 0.05},
     {1.0, 1.0, 0.4, 0.1, 0.02, 0.01, 0.01},
     1},
    {DrumFamily::cymbal,
     {0.01, 0.02, 0.1, 0.3, 0.7, 0.6, 0.4},
     {0.01, 0.02, 0.1, 0.4, 0.8, 0.8, 0.5},
     1},
    {DrumFamily::cymbal,
     {0.01, 0.05, 0.3, 0.8, 0.9, 0.9, 0.9},
     {0.01, 0.05, 0.3, 0.9, 1.0, 1.0, 1.0},
     0},
    {DrumFamily::cymbal,
     {0.01, 0.05, 0.3, 0.8, 0.9, 0.9, 0.9},
     {0.01, 0.05, 0.3, 0.9, 1.0, 1.0, 1.0},
     1},
    {DrumFamily::percussion,
     {0.05, 0.1, 0.3, 0.8, 0.9, 0.6, 0.4},
     {0.02, 0.05, 0.1, 0.1, 0.1, 0.1, 0.1},
     -1},
}};

double guessAt(const std::array<double, 7>& curve, double hertz) {
    if (hertz <= kGuessHertz.front()) return curve.front();
    for (std::size_t i = 1; i < kGuessHertz.size(); ++i) {
        if (hertz > kGuessHertz[i]) continue;
        const double t =
            std::log(hertz / kGuessHertz[i - 1]) / std::log(kGuessHertz[i] / kGuessHertz[i - 1]);
        return std::exp(std::log(curve[i - 1]) * (1.0 - t) + std::log(curve[i]) * t);
    }
    return curve.back();
}

}  // namespace

std::vector<Template> guessPictures(const Scene& scene, int drum) {
    std::vector<Template> out;
    const KitDrum& d = scene.kit.drums[static_cast<std::size_t>(drum)];
    bool whole = false;
    for (const MicSignal& mic : scene.kit.mics) whole = whole || hearsAll(mic.role);
    if (!whole) return out;
    for (const Guess& g : kGuesses) {
        if (g.family != d.family) continue;
        Picture p(scene.scale.size(), 0.0F);
        float sum = 0.0F;
        for (std::size_t b = 0; b < p.size(); ++b) {
            const RiseBand& band = scene.events.bands[b];
            const MicSignal& mic = scene.kit.mics[static_cast<std::size_t>(band.mic)];
            double v = guessAt(band.late ? g.later : g.at, std::sqrt(band.low * band.high));
            if (!hearsAll(mic.role)) v *= 0.02;
            if (g.side >= 0 && mic.channels.size() == 2 && static_cast<int>(band.channel) != g.side)
                v *= 0.6;
            p[b] = static_cast<float>(v);
            sum += p[b];
        }
        for (float& v : p) v /= sum;
        out.push_back({drum, p, false, p});
    }
    return out;
}

}  // namespace ember
