#include "core/measure/strokes/pictures.h"

#include "core/measure/strokes/guess.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ember {

namespace {

constexpr int kIterations = 50, kLearningRounds = 12, kLearnAgain = 2;
constexpr double kClearOver = 0.75;    // share over the kit that makes a stroke clear
constexpr double kClearShare = 0.85;   // share of everything, where a drum has its own microphone
constexpr float kWander = 5.0F;        // how far a guessed band may move, as a factor
constexpr float kWanderLearnt = 1.8F;  // and a learnt one
constexpr float kTiny = 1e-7F;

}  // namespace

void fit(const Picture& x, const std::vector<Template>& templates, std::vector<float>& strengths,
         int iterations) {
    const std::size_t bands = x.size();
    Picture model(bands), ratio(bands);
    for (int round = 0; round < iterations; ++round) {
        std::fill(model.begin(), model.end(), kTiny);
        for (std::size_t t = 0; t < templates.size(); ++t) {
            if (strengths[t] < kTiny) continue;
            const float* w = templates[t].picture.data();
            for (std::size_t b = 0; b < bands; ++b) model[b] += strengths[t] * w[b];
        }
        for (std::size_t b = 0; b < bands; ++b) ratio[b] = x[b] < 0.0F ? 0.0F : x[b] / model[b];
        for (std::size_t t = 0; t < templates.size(); ++t) {
            if (strengths[t] < kTiny) continue;
            const float* w = templates[t].picture.data();
            float over = 0.0F, under = kTiny;
            for (std::size_t b = 0; b < bands; ++b) {
                over += w[b] * ratio[b];
                under += x[b] < 0.0F ? 0.0F : w[b];
            }
            strengths[t] *= over / under;
        }
    }
}

std::vector<std::vector<float>> fitAll(const Scene& scene, const std::vector<Template>& templates) {
    std::vector<std::vector<float>> strengths(scene.x.size());
    tbb::parallel_for(std::size_t{0}, scene.x.size(), [&](std::size_t e) {
        const float sum = std::accumulate(scene.x[e].begin(), scene.x[e].end(), 0.0F,
                                          [](float a, float v) { return a + std::max(0.0F, v); });
        strengths[e].assign(templates.size(), 0.01F + 0.02F * sum);
        fit(scene.x[e], templates, strengths[e], kIterations);
    });
    return strengths;
}

double divergence(const Picture& x, const std::vector<Template>& templates,
                  const std::vector<float>& strengths) {
    double d = 0.0;
    for (std::size_t b = 0; b < x.size(); ++b) {
        if (x[b] < 0.0F) continue;
        float model = kTiny;
        for (std::size_t t = 0; t < templates.size(); ++t)
            model += strengths[t] * templates[t].picture[b];
        const auto m = static_cast<double>(model), v = static_cast<double>(x[b]);
        d += m - v + (v > 0.0 ? v * std::log(v / m) : 0.0);
    }
    return d;
}

namespace {

void add(std::vector<Template>& to, std::vector<Template> more) {
    to.insert(to.end(), std::make_move_iterator(more.begin()), std::make_move_iterator(more.end()));
}

struct Clear {
    int event = 0;
    double level = 0.0;
};

// Pictures from a drum's clear strokes: hard ones and soft ones apart, for tone moves with force.
// A drum that is never alone has no picture but its own track's.
void learn(const Scene& scene, int drum, std::vector<Clear> clear, std::vector<Template>& out,
           bool onlyOwn = false) {
    std::sort(clear.begin(), clear.end(),
              [](const Clear& a, const Clear& b) { return a.level > b.level; });
    const std::size_t groups = clear.size() >= 24 ? 3 : (clear.size() >= 8 ? 2 : 1);
    const KitDrum& d = scene.kit.drums[static_cast<std::size_t>(drum)];
    for (std::size_t g = 0; g < groups; ++g) {
        const std::size_t from = g * clear.size() / groups, to = (g + 1) * clear.size() / groups;
        Picture sum(scene.scale.size(), 0.0F);
        for (std::size_t b = 0; b < sum.size(); ++b) {
            std::vector<float> v;
            for (std::size_t i = from; i < to; ++i) {
                const Picture& p = scene.x[static_cast<std::size_t>(clear[i].event)];
                if (p[b] >= 0.0F) v.push_back(p[b] / static_cast<float>(clear[i].level));
            }
            // The median keeps out what others happened to play; in their own microphones they
            // often play along, so less than the median is believed there.
            const bool own = isOwn(d, scene.events.bands[b].mic) || d.mics.empty();
            if (onlyOwn && !own) continue;
            sum[b] = v.empty() ? 0.0F : percentile(std::move(v), own ? 0.5 : 0.25);
        }
        const auto total = static_cast<float>(ownSum(scene, d, sum));
        if (total <= 0.0F) continue;
        for (float& v : sum) v = v / total + 1e-4F;
        out.push_back({drum, sum, true, sum});
    }
}

std::vector<Template> firstTemplates(const Scene& scene) {
    const KitMics& kit = scene.kit;
    std::vector<Template> templates;
    for (std::size_t d = 0; d < kit.drums.size(); ++d) {
        const KitDrum& drum = kit.drums[d];
        if (drum.mics.empty()) {
            add(templates, guessPictures(scene, static_cast<int>(d)));
            continue;
        }
        // Clear strokes: heard first here, and relatively louder than anything its neighbours
        // could have played at the same time.
        const auto relative = [&](std::size_t e, std::size_t o) {
            const auto& mics = kit.drums[o].mics;
            return mics.empty() || scene.loud[o] <= 0.0F
                       ? 0.0
                       : static_cast<double>(
                             scene.hearing[e][static_cast<std::size_t>(mics.front())].peak /
                             scene.loud[o]);
        };
        std::vector<Clear> kept;
        for (const double others : {0.3, 0.7, 1e9}) {
            kept.clear();
            for (std::size_t e = 0; e < scene.x.size(); ++e) {
                if (scene.leader[e] != static_cast<int>(d)) continue;
                if (firstHearing(scene, e, d).riseDb <
                    (drum.family == DrumFamily::cymbal ? kRiseDb : kClearRiseDb))
                    continue;
                const double mine = relative(e, d);
                if (mine < 0.12) continue;
                bool clear = true;
                for (std::size_t o = 0; o < kit.drums.size() && clear; ++o)
                    clear = o == d || relative(e, o) < others * mine;
                const double level = ownSum(scene, drum, scene.x[e]);
                if (clear && level > 0.0) kept.push_back({static_cast<int>(e), level});
            }
            if (kept.size() >= 4) break;
        }
        if (kept.empty() && !scene.tied[d].empty()) {
            for (const std::size_t e : scene.tied[d])
                kept.push_back({static_cast<int>(e), ownSum(scene, drum, scene.x[e])});
            learn(scene, static_cast<int>(d), std::move(kept), templates, true);
            continue;
        }
        if (kept.empty()) continue;  // nobody ever hits it
        learn(scene, static_cast<int>(d), std::move(kept), templates);
    }
    return templates;
}

// Guessed pictures take the shape of what the learnt ones leave unexplained.
void adapt(const Scene& scene, std::vector<Template>& templates) {
    const bool any = std::any_of(templates.begin(), templates.end(),
                                 [](const Template& t) { return !t.learnt; });
    if (!any) return;
    for (int round = 0; round < kLearningRounds; ++round) {
        const auto strengths = fitAll(scene, templates);
        const std::size_t bands = scene.scale.size();
        std::vector<Picture> over(templates.size(), Picture(bands, 0.0F)),
            under(templates.size(), Picture(bands, 0.0F));
        Picture model(bands);
        for (std::size_t e = 0; e < scene.x.size(); ++e) {
            std::fill(model.begin(), model.end(), kTiny);
            for (std::size_t t = 0; t < templates.size(); ++t) {
                for (std::size_t b = 0; b < bands; ++b)
                    model[b] += strengths[e][t] * templates[t].picture[b];
            }
            for (std::size_t t = 0; t < templates.size(); ++t) {
                for (std::size_t b = 0; b < bands; ++b) {
                    if (scene.x[e][b] < 0.0F) continue;
                    over[t][b] += strengths[e][t] * scene.x[e][b] / model[b];
                    under[t][b] += strengths[e][t];
                }
            }
        }
        for (std::size_t t = 0; t < templates.size(); ++t) {
            Picture& p = templates[t].picture;
            float sum = 0.0F;
            for (std::size_t b = 0; b < bands; ++b) {
                if (under[t][b] > 0.0F) p[b] *= over[t][b] / under[t][b];
                // It may not wander off and become another drum.
                const float g = templates[t].guess[b];
                const float wander = templates[t].learnt ? kWanderLearnt : kWander;
                p[b] = std::clamp(p[b], g / wander, g * wander);
                sum += p[b];
            }
            if (sum > 0.0F) {
                for (float& v : p) v /= sum;
            }
        }
    }
}

// Once more from the strokes that the first pictures call clear.
std::vector<Template> learnAgain(const Scene& scene, const std::vector<Template>& templates) {
    const auto strengths = fitAll(scene, templates);
    const std::size_t drums = scene.kit.drums.size();
    std::vector<std::vector<Clear>> clear(drums);
    std::vector<double> part(drums), over(drums);
    for (std::size_t e = 0; e < scene.x.size(); ++e) {
        std::fill(part.begin(), part.end(), 0.0);
        std::fill(over.begin(), over.end(), 0.0);
        double all = 1e-12, allOver = 1e-12;
        for (std::size_t t = 0; t < templates.size(); ++t) {
            const auto d = static_cast<std::size_t>(templates[t].drum);
            double sum = 0.0, sumOver = 0.0;
            for (std::size_t b = 0; b < templates[t].picture.size(); ++b) {
                const auto w = static_cast<double>(templates[t].picture[b] * strengths[e][t]);
                sum += w;
                if (hearsAll(
                        scene.kit.mics[static_cast<std::size_t>(scene.events.bands[b].mic)].role))
                    sumOver += w;
            }
            part[d] += sum;
            over[d] += sumOver;
            all += sum;
            allOver += sumOver;
        }
        for (std::size_t d = 0; d < drums; ++d) {
            const KitDrum& drum = scene.kit.drums[d];
            const double level = ownSum(scene, drum, scene.x[e]);
            if (!drum.mics.empty()) {
                const Arrival& heard =
                    scene.hearing[e][static_cast<std::size_t>(drum.mics.front())];
                if (scene.leader[e] >= 0 && scene.leader[e] != static_cast<int>(d)) continue;
                if (heard.riseDb < kRiseDb || heard.peak < 0.03F * scene.loud[d]) continue;
            }
            if (level <= 0.0) continue;
            if (drum.mics.empty() ? over[d] > kClearOver * allOver : part[d] > kClearShare * all)
                clear[d].push_back({static_cast<int>(e), level});
        }
    }
    std::vector<Template> out;
    for (std::size_t d = 0; d < drums; ++d) {
        const bool own = !scene.kit.drums[d].mics.empty();
        if (!own) {
            // Weak ones are guesswork here.
            double top = 0.0;
            for (const Clear& c : clear[d]) top = std::max(top, c.level);
            std::erase_if(clear[d], [&](const Clear& c) { return c.level < 0.25 * top; });
        }
        const bool again = clear[d].size() >= (own ? 3U : 4U);
        if (again) learn(scene, static_cast<int>(d), std::move(clear[d]), out);
        for (const Template& t : templates) {
            if (t.drum == static_cast<int>(d) && !(again && t.learnt)) out.push_back(t);
        }
    }
    return out;
}

}  // namespace

std::vector<Template> learnPictures(const Scene& scene, const Progress& progress) {
    std::vector<Template> templates = firstTemplates(scene);
    adapt(scene, templates);
    for (int round = 0; round < kLearnAgain; ++round) {
        report(progress, (round + 1.0) / (kLearnAgain + 1.0), "Learning the drums");
        templates = learnAgain(scene, templates);
        adapt(scene, templates);
    }
    return templates;
}

}  // namespace ember
