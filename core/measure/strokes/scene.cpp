#include "core/measure/strokes/scene.h"

#include "core/base/units.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace ember {

float percentile(std::vector<float> values, double part) {
    if (values.empty()) return 0.0F;
    const auto at =
        values.begin() + static_cast<std::ptrdiff_t>(part * static_cast<double>(values.size() - 1));
    std::nth_element(values.begin(), at, values.end());
    return *at;
}

bool isOwn(const KitDrum& drum, int mic) {
    return std::find(drum.mics.begin(), drum.mics.end(), mic) != drum.mics.end();
}

const Arrival& firstHearing(const Scene& scene, std::size_t event, std::size_t drum) {
    return scene.hearing[event][static_cast<std::size_t>(scene.kit.drums[drum].mics.front())];
}

double relativeDb(const Scene& scene, std::size_t event, std::size_t drum) {
    const auto& mics = scene.kit.drums[drum].mics;
    if (mics.empty() || scene.loud[drum] <= 0.0F) return kSilenceDb;
    return dbFromGain(static_cast<double>(
        scene.hearing[event][static_cast<std::size_t>(mics.front())].peak / scene.loud[drum]));
}

// How much rose in a drum's own microphones (or where the whole kit is heard).
double ownSum(const Scene& scene, const KitDrum& drum, const Picture& p) {
    double sum = 0.0;
    for (std::size_t b = 0; b < p.size(); ++b) {
        if (p[b] > 0.0F && (drum.mics.empty() || isOwn(drum, scene.events.bands[b].mic)))
            sum += static_cast<double>(p[b]);
    }
    return drum.mics.empty() ? sum : sum / static_cast<double>(drum.mics.size());
}

namespace {

constexpr float kSilentShare = 0.03F;  // of a stroke's peak: what a track without bleed may hold
constexpr double kSeldom = 0.25;       // of the other drum's strokes: a chance company
constexpr int kFewestTied = 3;
constexpr double kWhitening = 0.8;  // 1: every band counts the same, 0: by its amplitude

void hear(Scene& scene) {
    const KitMics& kit = scene.kit;
    const auto ms = [&](double v) { return static_cast<Frames>(v * 1e-3 * kit.sampleRate); };
    scene.hearing.assign(scene.events.events.size(), std::vector<Arrival>(kit.mics.size()));
    tbb::parallel_for(std::size_t{0}, scene.hearing.size(), [&](std::size_t e) {
        const KitEvent& event = scene.events.events[e];
        for (std::size_t m = 0; m < kit.mics.size(); ++m) {
            const MicSignal& mic = kit.mics[m];
            if (hearsAll(mic.role) || !isMicrophone(mic.role)) continue;
            scene.hearing[e][m] =
                findArrival(mic, 0, kit.sampleRate, event.frame - ms(1.5), event.frame + ms(9.0));
        }
    });
    // One attack, seen from two neighbouring events, belongs to the one it begins in.
    for (std::size_t m = 0; m < kit.mics.size(); ++m) {
        for (std::size_t e = 1; e < scene.hearing.size(); ++e) {
            Arrival &before = scene.hearing[e - 1][m], &now = scene.hearing[e][m];
            if (before.frame < 0 || now.frame < 0 || std::abs(now.frame - before.frame) > ms(1.0))
                continue;
            const bool mine = now.frame + ms(1.0) >= scene.events.events[e].frame;
            (mine ? before : now) = {};
        }
    }
    const auto slack = ms(0.15);
    const std::size_t drums = kit.drums.size();
    scene.leader.assign(scene.hearing.size(), -1);
    scene.loud.assign(drums, 0.0F);
    scene.tied.assign(drums, {});
    std::vector<std::vector<float>> peaks(drums);
    // When each drum's own microphones hear each event; -1: they do not.
    std::vector<std::vector<Frames>> own(scene.hearing.size(), std::vector<Frames>(drums, -1));
    std::vector<Frames> first(scene.hearing.size(), -1);
    for (std::size_t e = 0; e < scene.hearing.size(); ++e) {
        Frames second = -1;
        int drum = -1;
        for (std::size_t d = 0; d < drums; ++d) {
            Frames& at = own[e][d];
            for (const int m : kit.drums[d].mics) {
                const Arrival& heard = scene.hearing[e][static_cast<std::size_t>(m)];
                if (heard.riseDb < kRiseDb || heard.frame < 0) continue;
                if (at < 0 || heard.frame < at) at = heard.frame;
            }
            if (at < 0) continue;
            if (first[e] < 0 || at < first[e]) {
                second = first[e];
                first[e] = at;
                drum = static_cast<int>(d);
            } else if (second < 0 || at < second) {
                second = at;
            }
        }
        if (drum < 0 || (second >= 0 && second - first[e] < slack)) continue;
        scene.leader[e] = drum;
        peaks[static_cast<std::size_t>(drum)].push_back(
            firstHearing(scene, e, static_cast<std::size_t>(drum)).peak);
    }
    // A programmed drum may never be alone: it is struck with another one every time, to the
    // sample. Bleed it is not where that other one's strokes alone leave its track silent.
    for (std::size_t d = 0; d < drums; ++d) {
        if (!peaks[d].empty() || kit.drums[d].mics.empty()) continue;
        std::vector<std::size_t> tied;
        for (std::size_t e = 0; e < scene.hearing.size(); ++e) {
            const Arrival& heard = firstHearing(scene, e, d);
            if (own[e][d] < 0 || own[e][d] - first[e] >= slack || heard.riseDb < kClearRiseDb)
                continue;
            bool bleed = false;
            for (std::size_t o = 0; o < drums && !bleed; ++o) {
                if (o == d || own[e][o] < 0 || own[e][o] - first[e] >= slack) continue;
                int alone = 0, seen = 0;
                for (std::size_t a = 0; a < scene.hearing.size(); ++a) {
                    if (scene.leader[a] != static_cast<int>(o)) continue;
                    ++alone;
                    const Arrival& then = firstHearing(scene, a, d);
                    const bool rises =
                        then.riseDb >= kRiseDb && then.peak > kSilentShare * heard.peak;
                    seen += rises ? 1 : 0;
                }
                bleed = alone > 0 && seen > kSeldom * alone;
            }
            if (!bleed) tied.push_back(e);
        }
        if (std::ssize(tied) < kFewestTied) continue;
        for (const std::size_t e : tied) peaks[d].push_back(firstHearing(scene, e, d).peak);
        scene.tied[d] = std::move(tied);
    }
    for (std::size_t d = 0; d < kit.drums.size(); ++d) {
        // A rare drum has few strokes and many false leads: only what comes near its loudest
        // counts, and a single loudest one does not.
        if (peaks[d].empty()) continue;
        std::sort(peaks[d].begin(), peaks[d].end(), std::greater<>());
        const float near = 0.2F * peaks[d][std::min<std::size_t>(peaks[d].size() - 1, 1)];
        std::erase_if(peaks[d], [&](float v) { return v < near; });
        scene.loud[d] = percentile(peaks[d], 0.7);
    }
}

void learnBleed(Scene& scene) {
    const std::size_t drums = scene.kit.drums.size();
    scene.bleedDb.assign(drums, std::vector<double>(drums, -20.0));
    for (std::size_t d = 0; d < drums; ++d) {
        for (std::size_t o = 0; o < drums; ++o) {
            if (o == d || scene.loud[o] <= 0.0F || scene.loud[d] <= 0.0F) continue;
            std::vector<float> seen;
            for (std::size_t e = 0; e < scene.leader.size(); ++e) {
                if (scene.leader[e] != static_cast<int>(o) ||
                    firstHearing(scene, e, o).riseDb < kClearRiseDb)
                    continue;
                const double other = relativeDb(scene, e, o);
                if (other > -12.0)
                    seen.push_back(static_cast<float>(relativeDb(scene, e, d) - other));
            }
            // Whoever plays along lifts some of them: the lower quarter is bleed alone.
            if (seen.size() >= 3)
                scene.bleedDb[d][o] = static_cast<double>(percentile(std::move(seen), 0.25));
        }
    }
}

// Every band by what its drum's loud strokes put there.
void whiten(Scene& scene) {
    const KitMics& kit = scene.kit;
    const KitEvents& events = scene.events;
    const std::size_t bands = events.bands.size();
    // Loud strokes by drum.
    std::vector<std::vector<std::size_t>> strong(kit.drums.size());
    for (std::size_t e = 0; e < scene.leader.size(); ++e) {
        if (scene.leader[e] < 0) continue;
        const auto d = static_cast<std::size_t>(scene.leader[e]);
        if (scene.hearing[e][static_cast<std::size_t>(kit.drums[d].mics.front())].peak >
            0.5F * scene.loud[d])
            strong[d].push_back(e);
    }
    std::vector<int> owner(kit.mics.size(), -1);
    for (std::size_t d = 0; d < kit.drums.size(); ++d) {
        for (const int m : kit.drums[d].mics)
            owner[static_cast<std::size_t>(m)] = static_cast<int>(d);
    }
    const auto reference = [&](std::size_t mic, auto&& value) {
        std::vector<float> all, own;
        for (std::size_t e = 0; e < events.events.size(); ++e) all.push_back(value(e));
        if (owner[mic] >= 0) {
            for (const std::size_t e : strong[static_cast<std::size_t>(owner[mic])])
                own.push_back(value(e));
        }
        const float wide = percentile(std::move(all), 0.97);
        return own.empty() ? wide : std::max(percentile(std::move(own), 0.6), 0.5F * wide);
    };
    scene.scale.assign(bands, 1.0F);
    for (std::size_t b = 0; b < bands; ++b) {
        const float top =
            reference(static_cast<std::size_t>(events.bands[b].mic),
                      [&](std::size_t e) { return std::max(0.0F, events.events[e].rise[b]); });
        scene.scale[b] = top > 1e-9F ? static_cast<float>(std::pow(top, -kWhitening)) : 0.0F;
    }
    // Then every channel counts the same: what is left is who stands out where.
    for (std::size_t from = 0; from < bands;) {
        std::size_t to = from;
        while (to < bands && events.bands[to].mic == events.bands[from].mic &&
               events.bands[to].channel == events.bands[from].channel)
            ++to;
        const float top =
            reference(static_cast<std::size_t>(events.bands[from].mic), [&](std::size_t e) {
                float sum = 0.0F;
                for (std::size_t b = from; b < to; ++b)
                    sum += std::max(0.0F, events.events[e].rise[b]) * scene.scale[b];
                return sum;
            });
        for (std::size_t b = from; b < to; ++b)
            scene.scale[b] = top > 0.0F ? scene.scale[b] / top : 0.0F;
        from = to;
    }
    for (const KitEvent& e : events.events) {
        Picture p(bands);
        for (std::size_t b = 0; b < bands; ++b)
            p[b] = e.rise[b] < 0.0F ? -1.0F : e.rise[b] * scene.scale[b];
        scene.x.push_back(std::move(p));
    }
}

}  // namespace

Scene makeScene(const KitMics& kit, const KitEvents& events) {
    Scene scene{kit, events, {}, {}, {}, {}, {}, {}, {}};
    hear(scene);
    learnBleed(scene);
    whiten(scene);
    return scene;
}

// One blow may be spread over neighbouring events: a leader heard up to 15 ms before explains, too.
double excessDb(const Scene& scene, std::size_t event, std::size_t drum) {
    const auto& drums = scene.kit.drums;
    const auto at = [&](std::size_t e, std::size_t d) -> const Arrival& {
        return scene.hearing[e][static_cast<std::size_t>(drums[d].mics.front())];
    };
    const auto ms = [&](double v) { return static_cast<Frames>(v * 1e-3 * scene.kit.sampleRate); };
    const Frames own = at(event, drum).frame;
    double explained = kSilenceDb;
    for (std::size_t e = event < 2 ? 0 : event - 2; e < std::min(event + 2, scene.hearing.size());
         ++e) {
        for (std::size_t o = 0; o < drums.size(); ++o) {
            if (o == drum || drums[o].mics.empty()) continue;
            const Frames other = at(e, o).frame;
            if (other < 0 || other < own - ms(15.0) || other > own + ms(1.5)) continue;
            explained = std::max(explained, relativeDb(scene, e, o) + scene.bleedDb[drum][o]);
        }
    }
    return relativeDb(scene, event, drum) - explained;
}

// A ringing head beats: what rises a little soon after a louder stroke may be its tail.
double tailDb(const Scene& scene, std::size_t event, std::size_t drum) {
    const Frames own = firstHearing(scene, event, drum).frame,
                 reach = static_cast<Frames>(0.25 * scene.kit.sampleRate);
    double out = -60.0;
    for (std::size_t e = event; e-- > 0;) {
        const Arrival& before = firstHearing(scene, e, drum);
        if (scene.events.events[e].frame < own - 2 * reach) break;
        if (before.frame < 0 || before.frame < own - reach || before.riseDb < kClearRiseDb)
            continue;
        out = std::max(out, relativeDb(scene, e, drum) - relativeDb(scene, event, drum));
    }
    return out;
}

}  // namespace ember
