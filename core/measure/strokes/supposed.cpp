#include "core/measure/strokes/supposed.h"

#include "core/measure/separate/needed.h"
#include "core/measure/strokes/clear_strokes.h"
#include "core/measure/strokes/kinds.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

constexpr double kHopeless = -12.0;  // log-odds below which nothing is looked at again
constexpr double kOneCymbalPerSeconds = 0.030, kTwoCymbals = 0.9;
constexpr double kOnePerSeconds = 0.014;  // closer ones of one drum are one blow

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

const KitDrum& drumOf(const KitMics& kit, const Supposed& s) {
    return kit.drums[static_cast<std::size_t>(s.share.drum)];
}

// One of several that are one blow: the surest.
std::vector<Stroke> oneABlow(const std::vector<Stroke>& strokes) {
    std::vector<Stroke> kept;
    for (const Stroke& s : strokes) {
        const bool cymbal = drumFamily(s.drum) == DrumFamily::cymbal;
        // One stroke of a cymbal looks like another cymbal's too; two are struck at once where both
        // are certain.
        const auto same = std::find_if(kept.rbegin(), kept.rend(), [&](const Stroke& k) {
            return k.drum == s.drum || (cymbal && drumFamily(k.drum) == DrumFamily::cymbal &&
                                        std::min(k.confidence, s.confidence) < kTwoCymbals);
        });
        if (same == kept.rend() ||
            s.time - same->time >= (cymbal ? kOneCymbalPerSeconds : kOnePerSeconds)) {
            kept.push_back(s);
        } else if (s.confidence > same->confidence) {
            *same = s;
        }
    }
    return kept;
}

}  // namespace

std::vector<Supposed> supposeStrokes(const KitMics& kit, const KitEvents& events,
                                     const std::vector<Share>& shares) {
    std::vector<Supposed> out;
    for (const Share& share : shares) {
        Supposed s{share, heardHow(kit, share.drum), 0.0, 0.0};
        s.logOdds = strokeLogOdds(share, drumOf(kit, s).family, s.heard);
        if (s.logOdds < kHopeless) continue;
        // Where nothing is seen to rise, the event itself gives the time.
        const Frames event = events.events[static_cast<std::size_t>(share.event)].frame;
        const Frames at = s.heard == Heard::close ? share.heard.frame : -1;
        s.seconds = static_cast<double>(at >= 0 ? at : event) / kit.sampleRate;
        out.push_back(s);
    }
    return out;
}

void lookAgain(const KitMics& kit, std::vector<Supposed>& supposed, const Progress& progress) {
    std::vector<SupposedStroke> strokes;
    std::vector<std::size_t> places;
    for (std::size_t i = 0; i < supposed.size(); ++i) {
        const KitDrum& drum = drumOf(kit, supposed[i]);
        if (supposed[i].heard != Heard::close || !isLookedAtAgain(drum.family)) continue;
        strokes.push_back({drum.id, supposed[i].seconds});
        places.push_back(i);
    }
    KitFrame frame = kitFrame(kit, likelyStrokes(kit, supposed));
    if (strokes.empty() || frame.model.drums.empty()) return;
    const LearntKit learnt(kit, std::move(frame), progress);
    const std::vector<double> needed = neededStrokes(learnt, strokes);
    for (std::size_t i = 0; i < strokes.size(); ++i) {
        Supposed& s = supposed[places[i]];
        if (needed[i] >= 0.0)
            s.logOdds = secondLogOdds(s.logOdds, needed[i], drumOf(kit, s).family);
    }
}

std::vector<Stroke> likelyStrokes(const KitMics& kit, const std::vector<Supposed>& supposed) {
    std::vector<Stroke> out;
    for (const Supposed& s : supposed) {
        const KitDrum& drum = drumOf(kit, s);
        const int place = timingMic(kit, drum);
        if (s.logOdds <= 0.0 || place < 0) continue;
        const MicSignal& mic = kit.mics[static_cast<std::size_t>(place)];
        Stroke stroke;
        stroke.time = s.seconds;
        if (s.heard != Heard::close) {
            const Frames at = arrivalOver(
                kit, mic, static_cast<Frames>(std::llround(s.seconds * kit.sampleRate)));
            if (at >= 0) stroke.time = static_cast<double>(at) / kit.sampleRate;
        }
        stroke.drum = drum.id;
        stroke.mic = mic.id;
        // A cymbal rings on: its level is what it adds, not what is heard.
        const bool peak = s.heard == Heard::close && drum.family != DrumFamily::cymbal;
        stroke.levelDb = peak ? s.share.relativeDb : s.share.levelDb;
        stroke.confidence = 1.0 / (1.0 + std::exp(-s.logOdds));
        out.push_back(std::move(stroke));
    }
    sortByTime(out);
    out = oneABlow(out);
    sortByTime(out);
    std::map<std::string, std::vector<double>> levels;
    for (const Stroke& s : out) levels[s.drum].push_back(s.levelDb);
    for (const auto& [drum, list] : levels) {
        const double accents = accentLevel(list);
        for (Stroke& s : out) {
            if (s.drum != drum) continue;
            s.levelDb -= accents;
            s.velocity = velocityFromLevel(s.levelDb);
        }
    }
    return out;
}

}  // namespace ember
