#include "core/measure/separate/own_sound.h"

#include "core/base/statistics.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ember {
namespace {

// Strokes that say together what is usual of those about as loud, and into how many kinds at most.
constexpr std::size_t kAlike = kUsualStrokes, kMostGroups = 8;
// What lacks comes back half-way: some of what is usual rings, and lifting it lifts bleed.
constexpr double kLifted = 0.5;
// Of the logarithm of power: what is taken down by no more than 12 dB and lifted by 6.
constexpr double kMostDown = -2.763102111592855, kMostUp = 1.381551055796427;
// Where others sound late: the room is even by then, and not yet lost.
constexpr double kLateFrom = 0.075, kLateTo = 0.45;
// Others may ring there, or stand near: the least they give is room.
constexpr double kLeastOfOthers = 0.25;
// Below this a picture holds nothing (of its loudest).
constexpr float kNothing = 1e-7F;

// One channel's picture of a drum, by window and band.
std::vector<float> pictureOf(const BleedModel& model, int drum, int channel) {
    const std::size_t size =
        static_cast<std::size_t>(model.length) * static_cast<std::size_t>(model.grid.bands());
    const auto* from =
        model.pictures.data() + (static_cast<std::size_t>(drum) * model.channels.size() +
                                 static_cast<std::size_t>(channel)) *
                                    size;
    std::vector<float> out(size);
    std::transform(from, from + size, out.begin(), fromLogPower);
    return out;
}

// One stroke of the drum until it is struck again.
struct OwnStroke {
    std::size_t hit = 0, first = 0, windows = 0;
    double loudness = 0.0;  // of the logarithm of power, over all bands
    std::size_t group = 0;  // of those about as loud
};

// In order of time; a picture's length at most.
std::vector<OwnStroke> strokesOf(const BleedModel& model, int drum) {
    std::vector<OwnStroke> out;
    for (std::size_t h = 0; h < model.hits.size(); ++h) {
        const BleedModel::Hit& hit = model.hits[h];
        if (hit.drum != drum || hit.window < 0 || hit.window >= model.grid.windows) continue;
        out.push_back({h, static_cast<std::size_t>(hit.window)});
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const OwnStroke& a, const OwnStroke& b) { return a.first < b.first; });
    for (std::size_t i = 0; i < out.size(); ++i) {
        const std::size_t end =
            i + 1 < out.size() ? out[i + 1].first : static_cast<std::size_t>(model.grid.windows);
        out[i].windows = std::min(end - out[i].first, static_cast<std::size_t>(model.length));
    }
    return out;
}

// Puts them into groups of about the same loudness; returns how many there are, 0 where they are
// too few.
std::size_t group(std::vector<OwnStroke>& strokes) {
    const std::size_t groups = std::min(strokes.size() / kAlike, kMostGroups);
    if (groups == 0) return 0;
    std::vector<std::size_t> order(strokes.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return strokes[a].loudness < strokes[b].loudness;
    });
    for (std::size_t i = 0; i < order.size(); ++i)
        strokes[order[i]].group = i * groups / order.size();
    return groups;
}

}  // namespace

OwnSound::OwnSound(const BleedModel& model, int channel, int drum, const OwnShape& shape,
                   const std::vector<int>& room)
    : bands_(static_cast<std::size_t>(model.grid.bands())) {
    const std::vector<float> picture = pictureOf(model, drum, channel);
    if (shape.room != 1.0) {
        room_ = roomShare(model, channel, drum, room);
        for (float& share : room_) share = 1.0F - share + share * static_cast<float>(shape.room);
    }
    if (shape.even == 0.0 && shape.crisp == 0.0) return;
    std::vector<OwnStroke> strokes = strokesOf(model, drum);
    // What each band counts: the square root of what the picture holds there.
    std::vector<double> weight(bands_, 0.0);
    for (std::size_t i = 0; i < picture.size(); ++i)
        weight[i % bands_] += static_cast<double>(picture[i]);
    double all = 1e-30;
    for (double& w : weight) all += w = std::sqrt(w);
    for (OwnStroke& s : strokes) {
        for (std::size_t b = 0; b < bands_; ++b)
            s.loudness +=
                weight[b] / all *
                std::log(static_cast<double>(fromLogPower(model.levels[s.hit * bands_ + b])));
    }
    const std::size_t groups = group(strokes);
    if (groups == 0) return;
    const auto windows = static_cast<std::size_t>(model.grid.windows);
    const auto* moved = model.moved.data() + static_cast<std::size_t>(drum) * windows * bands_;
    even_.assign(windows * bands_, 1.0F);
    const auto length = static_cast<std::size_t>(model.length);
    tbb::parallel_for(std::size_t{0}, bands_, [&](std::size_t b) {
        // Against the stroke as a whole, how much more there is than in its picture.
        const auto balance = [&](const OwnStroke& s, std::size_t place) {
            return std::log(
                       static_cast<double>(fromLogPower(model.levels[s.hit * bands_ + b]) *
                                           fromLogPower(moved[(s.first + place) * bands_ + b]))) -
                   s.loudness;
        };
        std::vector<std::vector<double>> values(groups * length);
        for (const OwnStroke& s : strokes) {
            for (std::size_t place = 0; place < s.windows; ++place)
                values[s.group * length + place].push_back(balance(s, place));
        }
        std::vector<double> usual(values.size(), 0.0);
        for (std::size_t i = 0; i < values.size(); ++i) {
            // So late hardly any is alone; what was usual before goes on.
            usual[i] =
                values[i].size() < kAlike / 2 && i % length != 0 ? usual[i - 1] : median(values[i]);
        }
        for (const OwnStroke& s : strokes) {
            for (std::size_t place = 0; place < s.windows; ++place) {
                const double alike = usual[s.group * length + place],
                             loud = usual[(groups - 1) * length + place];
                const double lacks = shape.even * (alike - balance(s, place));
                const double move = (lacks > 0.0 ? std::min(kLifted * lacks, kMostUp)
                                                 : std::max(lacks, kMostDown)) +
                                    std::clamp(shape.crisp * (loud - alike), kMostDown, -kMostDown);
                even_[(s.first + place) * bands_ + b] = static_cast<float>(std::exp(0.5 * move));
            }
        }
    });
    // Every stroke stays as loud as it was.
    for (const OwnStroke& s : strokes) {
        double was = 1e-30, is = 1e-30;
        for (std::size_t place = 0; place < s.windows; ++place) {
            for (std::size_t b = 0; b < bands_; ++b) {
                const std::size_t at = (s.first + place) * bands_ + b;
                const double power = static_cast<double>(
                    picture[place * bands_ + b] * fromLogPower(model.levels[s.hit * bands_ + b]) *
                    fromLogPower(moved[at]));
                was += power;
                is += power * static_cast<double>(even_[at]) * static_cast<double>(even_[at]);
            }
        }
        const auto back = static_cast<float>(std::sqrt(was / is));
        float* from = even_.data() + s.first * bands_;
        std::transform(from, from + s.windows * bands_, from, [&](float g) { return g * back; });
    }
}

std::vector<float> roomShare(const BleedModel& model, int channel, int drum,
                             const std::vector<int>& room) {
    const auto bands = static_cast<std::size_t>(model.grid.bands());
    const std::vector<float> own = pictureOf(model, drum, channel);
    std::vector<float> share(own.size(), 0.0F);
    const double hop = model.grid.hop() / model.sampleRate;
    const auto from = static_cast<std::size_t>(kLateFrom / hop),
               to = std::min(static_cast<std::size_t>(kLateTo / hop),
                             static_cast<std::size_t>(model.length));
    bool first = true;
    for (const int far : room) {
        if (far == channel) continue;
        // How loud this channel hears the room, against that one, by band.
        std::vector<std::vector<double>> ratios(bands);
        for (int other = 0; other < static_cast<int>(model.drums.size()); ++other) {
            if (other == drum) continue;
            const std::vector<float> here = pictureOf(model, other, channel),
                                     there = pictureOf(model, other, far);
            const float loudest = *std::max_element(there.begin(), there.end());
            for (std::size_t i = from * bands; i < to * bands; ++i) {
                if (there[i] > kNothing * loudest)
                    ratios[i % bands].push_back(static_cast<double>(here[i] / there[i]));
            }
        }
        const std::vector<float> there = pictureOf(model, drum, far);
        // What a microphone near the drum hears directly lessens what is room: the least counts.
        for (std::size_t i = 0; i < share.size(); ++i) {
            const std::vector<double>& all = ratios[i % bands];
            const float power =
                all.empty() ? 0.0F : there[i] * static_cast<float>(quantile(all, kLeastOfOthers));
            const float part = std::clamp(power / std::max(own[i], 1e-18F), 0.0F, 1.0F);
            share[i] = first ? part : std::min(share[i], part);
        }
        first = false;
    }
    return share;
}

}  // namespace ember
