#include "core/measure/separate/needed.h"

#include "core/measure/separate/drum_powers.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kLook = 0.06;  // seconds of a stroke
// How loud the picture is tried, against a stroke as loud as they come, dB of power.
constexpr double kQuietest = -36.0, kLoudest = 8.0, kStep = 2.0;

// What a channel's first windows of a stroke hold, and what explains them.
struct Stretch {
    std::vector<float> power, others, picture;  // by window and band
};

// `hit`: the stroke itself, where the kit was learnt with it; -1: it was not.
Stretch stretchOf(const LearntKit& kit, int drum, int channel, std::int64_t first,
                  std::int64_t count, int hit) {
    const BleedModel& model = kit.frame().model;
    const auto bands = static_cast<std::size_t>(model.grid.bands());
    const std::size_t cells = static_cast<std::size_t>(count) * bands;
    const float *power = kit.powers().at(channel, first),
                *picture = kit.fit().picture(drum, channel);
    Stretch out{{power, power + cells}, {}, {picture, picture + cells}};
    const auto noise = kit.fit().noise().subspan(static_cast<std::size_t>(channel) * bands, bands);
    for (std::int64_t w = 0; w < count; ++w)
        out.others.insert(out.others.end(), noise.begin(), noise.end());
    for (std::size_t h = 0; h < model.hits.size(); ++h) {
        if (static_cast<int>(h) == hit) continue;
        const float* shape = kit.fit().picture(model.hits[h].drum, channel);
        const float* level = kit.fit().levels().data() + h * bands;
        eachWindow(model.hits[h].window, static_cast<std::size_t>(model.length), first, count,
                   [&](std::size_t l, std::size_t w) {
                       for (std::size_t b = 0; b < bands; ++b)
                           out.others[w * bands + b] += shape[l * bands + b] * level[b];
                   });
    }
    return out;
}

double divergence(const Stretch& s, double gain) {
    double sum = 0.0;
    for (std::size_t i = 0; i < s.power.size(); ++i) {
        const double ratio =
            static_cast<double>(s.power[i]) /
            (static_cast<double>(s.others[i]) + gain * static_cast<double>(s.picture[i]) + 1e-12);
        sum += ratio - std::log(std::max(ratio, 1e-12)) - 1.0;
    }
    return sum;
}

double needed(const LearntKit& kit, const SupposedStroke& stroke) {
    const BleedModel& model = kit.frame().model;
    const int drum = model.drumOf(stroke.drum);
    if (drum < 0 || !kit.frame().close[static_cast<std::size_t>(drum)]) return -1.0;
    const std::int64_t first = std::max<std::int64_t>(0, windowBefore(model, stroke.seconds));
    const std::int64_t count =
        std::min(static_cast<std::int64_t>(kLook * model.sampleRate / model.grid.hop()),
                 model.grid.windows - first);
    if (count <= 0) return -1.0;
    int hit = -1;
    for (std::size_t h = 0; h < model.hits.size(); ++h) {
        if (model.hits[h].drum == drum && std::abs(model.hits[h].window - first) <= 1)
            hit = static_cast<int>(h);
    }
    std::vector<Stretch> own;
    for (std::size_t c = 0; c < model.channels.size(); ++c) {
        if (kit.own()[static_cast<std::size_t>(drum) * model.channels.size() + c])
            own.push_back(stretchOf(kit, drum, static_cast<int>(c), first, count, hit));
    }
    const auto all = [&](double gain) {
        double sum = 0.0;
        for (const Stretch& s : own) sum += divergence(s, gain);
        return sum;
    };
    const double without = all(0.0);
    double best = without;
    for (double db = kQuietest; db <= kLoudest; db += kStep)
        best = std::min(best, all(std::pow(10.0, db / 10.0)));
    return (without - best) / static_cast<double>(count * model.grid.bands());
}

}  // namespace

std::vector<double> neededStrokes(const LearntKit& kit, std::span<const SupposedStroke> strokes) {
    std::vector<double> out(strokes.size());
    tbb::parallel_for(std::size_t{0}, strokes.size(),
                      [&](std::size_t i) { out[i] = needed(kit, strokes[i]); });
    return out;
}

}  // namespace ember
