#include "core/measure/strokes/attribution.h"

#include "core/base/units.h"
#include "core/measure/strokes/pictures.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr int kWithoutIterations = 15;
constexpr double kLeastDb = -48.0;  // shares below are not worth a look

}  // namespace

std::vector<Share> attribute(const KitMics& kit, const KitEvents& events,
                             const Progress& progress) {
    std::vector<Share> out;
    if (events.events.empty() || kit.drums.empty()) return out;
    const Scene scene = makeScene(kit, events);
    report(progress, 0.1, "Learning the drums");
    const std::vector<Template> templates = learnPictures(scene, progress);
    report(progress, 0.7, "Telling the drums apart");
    const auto strengths = fitAll(scene, templates);

    const std::size_t drums = kit.drums.size();
    std::vector<double> loud(drums, 0.0);
    std::vector<std::vector<double>> levels(scene.x.size(), std::vector<double>(drums, 0.0));
    for (std::size_t d = 0; d < drums; ++d) {
        std::vector<float> all;
        for (std::size_t e = 0; e < scene.x.size(); ++e) {
            for (std::size_t t = 0; t < templates.size(); ++t) {
                if (templates[t].drum == static_cast<int>(d))
                    levels[e][d] += static_cast<double>(strengths[e][t]);
            }
            all.push_back(static_cast<float>(levels[e][d]));
        }
        // The loud strokes' level: the mean of the five loudest would follow a single outlier.
        std::sort(all.begin(), all.end(), std::greater<>());
        loud[d] = static_cast<double>(all[std::min<std::size_t>(all.size() - 1, 4)]);
    }
    std::vector<std::vector<Share>> found(scene.x.size());
    tbb::parallel_for(std::size_t{0}, scene.x.size(), [&](std::size_t e) {
        const Picture& x = scene.x[e];
        const double with = divergence(x, templates, strengths[e]);
        double low = 0.0, whole = 1e-9, lowLate = 0.0;
        bool later = false;
        for (std::size_t b = 0; b < x.size(); ++b) {
            const RiseBand& band = events.bands[b];
            if (x[b] < 0.0F || !hearsAll(kit.mics[static_cast<std::size_t>(band.mic)].role))
                continue;
            const auto v = static_cast<double>(x[b]);
            const bool deep = band.low >= 60.0 && band.high <= 450.0;
            if (band.late) {
                later = true;
                if (deep) lowLate += v;
                continue;
            }
            whole += v;
            if (deep) low += v;
        }
        for (std::size_t d = 0; d < drums; ++d) {
            Share s;
            s.event = static_cast<int>(e);
            s.drum = static_cast<int>(d);
            s.levelDb = loud[d] > 0.0 ? dbFromGain(levels[e][d] / loud[d]) : kSilenceDb;
            if (s.levelDb < kLeastDb) continue;
            double explained = 1e-9, own = 1e-9, ownAll = 1e-9;
            std::vector<float> without = strengths[e];
            for (std::size_t b = 0; b < x.size(); ++b) {
                if (x[b] < 0.0F) continue;
                double mine = 0.0, all = 0.0;
                for (std::size_t t = 0; t < templates.size(); ++t) {
                    const auto part =
                        static_cast<double>(strengths[e][t] * templates[t].picture[b]);
                    all += part;
                    if (templates[t].drum == s.drum) mine += part;
                }
                explained += mine;
                if (kit.drums[d].mics.empty() || isOwn(kit.drums[d], events.bands[b].mic)) {
                    own += mine;
                    ownAll += std::max(all, static_cast<double>(x[b]));
                }
            }
            for (std::size_t t = 0; t < templates.size(); ++t)
                without[t] = templates[t].drum == s.drum ? 0.0F : without[t] + 1e-4F;
            fit(x, templates, without, kWithoutIterations);
            s.necessity = (divergence(x, templates, without) - with) / explained;
            s.share = own / ownAll;
            s.leads = scene.leader[e] == s.drum;
            s.low = low / whole;
            if (later) s.sustain = lowLate / (low + 1e-9);
            if (!kit.drums[d].mics.empty()) {
                s.heard = scene.hearing[e][static_cast<std::size_t>(kit.drums[d].mics.front())];
                s.relativeDb = relativeDb(scene, e, d);
                s.excessDb = excessDb(scene, e, d);
                s.tailDb = tailDb(scene, e, d);
            }
            found[e].push_back(s);
        }
    });
    for (auto& f : found) out.insert(out.end(), f.begin(), f.end());
    report(progress, 1.0, "Telling the drums apart");
    return out;
}

}  // namespace ember
