#include "core/measure/strokes/strokes.h"

#include "core/base/units.h"
#include "core/measure/strokes/kinds.h"
#include "core/measure/strokes/supposed.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

constexpr double kOwnSeconds = 0.014;  // as near as that to a stroke of its own, nothing is bleed
constexpr double kSameStroke = 0.012;  // seconds within which an edit means this stroke
constexpr double kBleedRiseDb = 6.0;

void nameKinds(std::vector<Stroke>& strokes) {
    std::map<std::string, std::vector<Stroke*>> byDrum;
    for (Stroke& s : strokes) byDrum[s.drum].push_back(&s);
    for (auto& [drum, list] : byDrum) {
        std::vector<StrokeKind> given;
        for (const Stroke* s : list) given.push_back(s->kind);
        sortIntoKinds(list);
        for (std::size_t i = 0; i < list.size(); ++i) {
            if (list[i]->byHand) list[i]->kind = given[i];
        }
    }
}

std::vector<BleedMark> findBleed(const KitMics& kit, const std::vector<Stroke>& strokes) {
    const double rate = kit.sampleRate;
    std::vector<BleedMark> out;
    for (std::size_t m = 0; m < kit.mics.size(); ++m) {
        const MicSignal& mic = kit.mics[m];
        if (hearsAll(mic.role) || !isMicrophone(mic.role)) continue;
        std::vector<BleedMark> here;
        std::vector<double> own;
        const auto isOwn = [&](const Stroke& s) {
            for (const KitDrum& d : kit.drums) {
                if (d.id == s.drum)
                    return std::find(d.mics.begin(), d.mics.end(), static_cast<int>(m)) !=
                           d.mics.end();
            }
            return false;
        };
        for (const Stroke& s : strokes) {
            if (isOwn(s)) own.push_back(s.time);
        }
        for (const Stroke& s : strokes) {
            if (isOwn(s)) continue;
            const auto near = std::lower_bound(own.begin(), own.end(), s.time - kOwnSeconds);
            if (near != own.end() && *near < s.time + kOwnSeconds) continue;
            const auto at = static_cast<Frames>(s.time * rate);
            const Arrival a = findArrival(mic, 0, rate, at - static_cast<Frames>(0.001 * rate),
                                          at + static_cast<Frames>(0.009 * rate));
            if (a.frame < 0 || static_cast<double>(a.riseDb) < kBleedRiseDb) continue;
            const double time = static_cast<double>(a.frame) / rate;
            // Two drums at once leave one mark: the first to arrive.
            if (!here.empty() && std::abs(here.back().time - time) < 0.003) continue;
            here.push_back({time, mic.id, s.drum, dbFromGain(static_cast<double>(a.peak))});
        }
        out.insert(out.end(), here.begin(), here.end());
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const BleedMark& a, const BleedMark& b) { return a.time < b.time; });
    return out;
}

}  // namespace

KitStrokes measureStrokes(const KitMics& kit, const Progress& progress) {
    const KitEvents events = findEvents(kit, within(progress, 0.0, 0.4));
    std::vector<Supposed> supposed =
        supposeStrokes(kit, events, attribute(kit, events, within(progress, 0.4, 0.8)));
    lookAgain(kit, supposed, within(progress, 0.8, 0.97));
    KitStrokes out;
    out.strokes = likelyStrokes(kit, supposed);
    nameKinds(out.strokes);
    report(progress, 0.97, "Listing the bleed");
    out.bleed = findBleed(kit, out.strokes);
    return out;
}

KitStrokes withEdits(KitStrokes all, const std::vector<StrokeEdit>& edits) {
    for (const StrokeEdit& edit : edits) {
        if (edit.remove) {
            std::erase_if(all.strokes, [&](const Stroke& s) {
                return s.drum == edit.stroke.drum &&
                       std::abs(s.time - edit.stroke.time) < kSameStroke;
            });
            continue;
        }
        Stroke stroke = edit.stroke;
        stroke.byHand = true;
        stroke.confidence = 1.0;
        stroke.levelDb = levelFromVelocity(stroke.velocity);
        all.strokes.push_back(std::move(stroke));
    }
    sortByTime(all.strokes);
    nameKinds(all.strokes);
    return all;
}

std::vector<Stroke> strokesOf(const KitStrokes& all, const std::string& drum) {
    std::vector<Stroke> out;
    std::copy_if(all.strokes.begin(), all.strokes.end(), std::back_inserter(out),
                 [&](const Stroke& s) { return s.drum == drum; });
    return out;
}

}  // namespace ember
