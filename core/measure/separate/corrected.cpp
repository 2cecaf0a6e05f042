#include "core/measure/separate/corrected.h"

#include "core/measure/separate/learnt_kit.h"
#include "core/measure/separate/mic_powers.h"

#include <algorithm>
#include <map>
#include <utility>

namespace ember {
namespace {

// Corrected strokes beyond which the pictures may be wrong, of all.
constexpr double kMostChanged = 0.2;
// Strokes this near to one that changed shared their sound with it, of a picture's length.
constexpr int kNear = 4;

struct Windows {
    std::int64_t from, to;
};

// In order, those that touch one another as one.
std::vector<Windows> merged(std::vector<Windows> all) {
    std::sort(all.begin(), all.end(),
              [](const Windows& a, const Windows& b) { return a.from < b.from; });
    std::vector<Windows> out;
    for (const Windows& w : all) {
        if (!out.empty() && w.from <= out.back().to) {
            out.back().to = std::max(out.back().to, w.to);
        } else {
            out.push_back(w);
        }
    }
    return out;
}

// The windows of strokes that are not in both; levels of those that are go over to `model`.
std::vector<std::int64_t> carryOver(const BleedModel& known, BleedModel& model,
                                    const std::vector<float>& velocities,
                                    std::vector<bool>& isNew) {
    const auto bands = static_cast<std::size_t>(known.grid.bands());
    std::multimap<std::pair<int, std::int64_t>, std::size_t> left;
    for (std::size_t h = 0; h < known.hits.size(); ++h)
        left.emplace(std::pair(known.hits[h].drum, known.hits[h].window), h);
    std::vector<std::int64_t> changed;
    for (std::size_t h = 0; h < model.hits.size(); ++h) {
        const auto was = left.find({model.hits[h].drum, model.hits[h].window});
        isNew.push_back(was == left.end());
        if (isNew.back()) {
            const float v = std::max(velocities[h], 0.02F);
            model.levels.insert(model.levels.end(), bands, logPower(v * v));
            changed.push_back(model.hits[h].window);
        } else {
            const auto from =
                known.levels.begin() + static_cast<std::ptrdiff_t>(was->second * bands);
            model.levels.insert(model.levels.end(), from,
                                from + static_cast<std::ptrdiff_t>(bands));
            left.erase(was);
        }
    }
    for (const auto& [hit, place] : left) changed.push_back(hit.second);
    return changed;
}

// Follows every drum anew through a stretch; the levels of `fitted` hits too.
void followAnew(const BleedModel& known, const KitMics& kit, const KitFrame& frame,
                const std::vector<bool>& fitted, const Windows& stretch, BleedModel& into) {
    const auto bands = static_cast<std::size_t>(known.grid.bands());
    const std::int64_t count = stretch.to - stretch.from;
    BleedModel local = frame.model;
    local.grid.windows = count;
    local.hits.clear();
    local.levels.clear();
    std::vector<float> velocities;
    std::vector<std::size_t> places, fit;  // of its hits in the whole song; of those to fit, in it
    for (std::size_t h = 0; h < into.hits.size(); ++h) {
        const BleedModel::Hit& hit = into.hits[h];
        if (hit.window + local.length <= stretch.from || hit.window >= stretch.to) continue;
        if (fitted[h]) fit.push_back(places.size());
        places.push_back(h);
        local.hits.push_back({hit.drum, hit.window - stretch.from});
        velocities.push_back(frame.velocities[h]);
        const auto level = into.levels.begin() + static_cast<std::ptrdiff_t>(h * bands);
        local.levels.insert(local.levels.end(), level, level + static_cast<std::ptrdiff_t>(bands));
    }
    const PowerMap powers = measurePowers(kit, known, stretch.from, count);
    PictureFit learnt(powers, local, velocities, known);
    learnt.fitLevels(fit);
    for (const std::size_t place : fit) {
        for (std::size_t b = 0; b < bands; ++b)
            into.levels[places[place] * bands + b] = logPower(learnt.levels()[place * bands + b]);
    }
    const std::size_t cells = static_cast<std::size_t>(count) * bands;
    BleedModel followed;
    followed.moved.resize(known.drums.size() * cells);
    followed.beside.resize(followed.moved.size());
    learnt.followMoments(frame.close, followed, {});
    for (std::size_t d = 0; d < known.drums.size(); ++d) {
        const std::size_t to = (d * static_cast<std::size_t>(known.grid.windows) +
                                static_cast<std::size_t>(stretch.from)) *
                               bands;
        for (auto list : {&BleedModel::moved, &BleedModel::beside}) {
            const auto from = (followed.*list).begin() + static_cast<std::ptrdiff_t>(d * cells);
            std::copy_n(from, cells, (into.*list).begin() + static_cast<std::ptrdiff_t>(to));
        }
    }
}

}  // namespace

std::optional<BleedModel> corrected(const BleedModel& known, const KitMics& kit,
                                    const std::vector<Stroke>& strokes, const Progress& progress) {
    const KitFrame frame = kitFrame(kit, strokes);
    if (known.scales.empty() || frame.model.drums != known.drums ||
        frame.model.channels != known.channels || frame.model.grid != known.grid ||
        frame.model.length != known.length)
        return {};
    BleedModel out = known;
    out.hits = frame.model.hits;
    out.struck = frame.model.struck;
    out.levels.clear();
    std::vector<bool> fitted;
    const std::vector<std::int64_t> changed = carryOver(known, out, frame.velocities, fitted);
    if (static_cast<double>(changed.size()) >
        kMostChanged * static_cast<double>(std::max(known.hits.size(), out.hits.size())))
        return {};
    std::vector<Windows> touched;
    const auto touch = [&](std::int64_t window) {
        touched.push_back({std::max<std::int64_t>(0, window),
                           std::min(window + known.length, known.grid.windows)});
    };
    for (const std::int64_t window : changed) touch(window);
    for (std::size_t h = 0; h < out.hits.size(); ++h) {
        const std::int64_t window = out.hits[h].window;
        fitted[h] = std::any_of(changed.begin(), changed.end(), [&](std::int64_t other) {
            return std::abs(other - window) <= known.length / kNear;
        });
        if (fitted[h]) touch(window);
    }
    const std::vector<Windows> stretches = merged(std::move(touched));
    for (std::size_t i = 0; i < stretches.size(); ++i) {
        report(progress, static_cast<double>(i) / static_cast<double>(stretches.size()),
               "following corrected strokes");
        if (stretches[i].to > stretches[i].from)
            followAnew(known, kit, frame, fitted, stretches[i], out);
    }
    return out;
}

}  // namespace ember
