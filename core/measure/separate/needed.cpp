#include "core/measure/separate/needed.h"

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
    const auto bands = static_cast<std::size_t>(model.grid.bands()),
               channels = model.channels.size(), c = static_cast<std::size_t>(channel),
               length = static_cast<std::size_t>(model.length);
    const auto pictureOf = [&](int of, std::int64_t window) {
        return kit.fit().pictures().subspan(
            ((static_cast<std::size_t>(of) * channels + c) * length +
             static_cast<std::size_t>(window)) *
                bands,
            bands);
    };
    Stretch out;
    for (std::int64_t w = first; w < first + count; ++w) {
        const float* power = kit.powers().at(channel, w);
        out.power.insert(out.power.end(), power, power + bands);
        const auto noise = kit.fit().noise().subspan(c * bands, bands);
        out.others.insert(out.others.end(), noise.begin(), noise.end());
        const auto own = pictureOf(drum, w - first);
        out.picture.insert(out.picture.end(), own.begin(), own.end());
        for (std::size_t h = 0; h < model.hits.size(); ++h) {
            const std::int64_t since = w - model.hits[h].window;
            if (static_cast<int>(h) == hit || since < 0 || since >= model.length) continue;
            const auto other = pictureOf(model.hits[h].drum, since);
            for (std::size_t b = 0; b < bands; ++b)
                out.others[out.others.size() - bands + b] +=
                    other[b] * kit.fit().levels()[h * bands + b];
        }
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
