#include "core/measure/strokes/strokes.h"

#include "core/base/units.h"
#include "core/measure/strokes/clear_strokes.h"
#include "core/measure/strokes/kinds.h"
#include "core/measure/strokes/verdict.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

constexpr double kOneCymbalPerSeconds = 0.030, kTwoCymbals = 0.9;
constexpr double kOnePerSeconds = 0.014;  // closer ones of one drum are one blow
constexpr double kSameStroke = 0.012;     // seconds within which an edit means this stroke
constexpr double kBleedRiseDb = 6.0;

Frames arrivalOver(const KitMics& kit, const MicSignal& mic, Frames event) {
    const auto ms = [&](double v) { return static_cast<Frames>(v * 1e-3 * kit.sampleRate); };
    Frames first = -1;
    float strongest = 0.0F;
    for (std::size_t c = 0; c < mic.channels.size(); ++c) {
        const Arrival a = findArrival(mic, c, kit.sampleRate, event - ms(1.5), event + ms(12.0));
        strongest = std::max(strongest, a.peak);
        // The far side of a pair hears it later, and softer.
        if (a.frame >= 0 && a.peak > 0.25F * strongest && (first < 0 || a.frame < first))
            first = a.frame;
    }
    return first;
}

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
            const auto near = std::lower_bound(own.begin(), own.end(), s.time - kOnePerSeconds);
            if (near != own.end() && *near < s.time + kOnePerSeconds) continue;
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

void sortByTime(std::vector<Stroke>& strokes) {
    std::stable_sort(strokes.begin(), strokes.end(),
                     [](const Stroke& a, const Stroke& b) { return a.time < b.time; });
}

}  // namespace

KitStrokes measureStrokes(const KitMics& kit, const Progress& progress) {
    const KitEvents events = findEvents(kit, within(progress, 0.0, 0.5));
    const std::vector<Share> shares = attribute(kit, events, within(progress, 0.5, 0.95));
    KitStrokes out;
    for (const Share& share : shares) {
        const KitDrum& drum = kit.drums[static_cast<std::size_t>(share.drum)];
        const Heard heard = heardHow(kit, share.drum);
        const double odds = strokeLogOdds(share, drum.family, heard);
        if (odds <= 0.0) continue;
        const int place = timingMic(kit, drum);
        if (place < 0) continue;
        const MicSignal& mic = kit.mics[static_cast<std::size_t>(place)];
        const Frames event = events.events[static_cast<std::size_t>(share.event)].frame;
        const Frames at = heard == Heard::close ? share.heard.frame : arrivalOver(kit, mic, event);
        Stroke stroke;
        // Where nothing is seen to rise, the event itself gives the time.
        stroke.time = static_cast<double>(at >= 0 ? at : event) / kit.sampleRate;
        stroke.drum = drum.id;
        stroke.mic = mic.id;
        // A cymbal rings on: its level is what it adds, not what is heard.
        const bool peak = heard == Heard::close && drum.family != DrumFamily::cymbal;
        stroke.levelDb = peak ? share.relativeDb : share.levelDb;
        stroke.confidence = 1.0 / (1.0 + std::exp(-odds));
        out.strokes.push_back(std::move(stroke));
    }
    sortByTime(out.strokes);
    std::vector<Stroke> kept;
    for (Stroke& s : out.strokes) {
        const bool cymbal = drumFamily(s.drum) == DrumFamily::cymbal;
        // One stroke of a cymbal looks like another cymbal's too; two are struck at once where both
        // are certain.
        const auto same = std::find_if(kept.rbegin(), kept.rend(), [&](const Stroke& k) {
            return k.drum == s.drum || (cymbal && drumFamily(k.drum) == DrumFamily::cymbal &&
                                        std::min(k.confidence, s.confidence) < kTwoCymbals);
        });
        if (same == kept.rend() ||
            s.time - same->time >= (cymbal ? kOneCymbalPerSeconds : kOnePerSeconds)) {
            kept.push_back(std::move(s));
        } else if (s.confidence > same->confidence) {
            *same = std::move(s);
        }
    }
    out.strokes = std::move(kept);
    sortByTime(out.strokes);

    std::map<std::string, std::vector<double>> levels;
    for (const Stroke& s : out.strokes) levels[s.drum].push_back(s.levelDb);
    for (auto& [drum, list] : levels) {
        const double accents = accentLevel(list);
        for (Stroke& s : out.strokes) {
            if (s.drum != drum) continue;
            s.levelDb -= accents;
            s.velocity = velocityFromLevel(s.levelDb);
        }
    }
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
