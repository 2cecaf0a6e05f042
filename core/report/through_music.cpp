#include "core/report/through_music.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/statistics.h"
#include "core/measure/level/masking.h"
#include "core/report/bus_members.h"
#include "core/report/headroom.h"
#include "core/report/mix_figures.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

namespace ember {
namespace {

constexpr double kTogetherSeconds = 0.025;
constexpr float kElsewhere = 4.0F;       // of a drum's own power, with overheads and rooms at most
constexpr int kBeforeFrames = 4;         // that say what hides, a tenth of a second
constexpr double kUnlike = 0.1;          // by which a stretch differs from the whole
constexpr int kFewest = 4;               // strokes of a stretch that count
constexpr double kMostlyTogether = 0.5;  // of hidden strokes
constexpr int kShareFrom = 10;           // strokes that make a share

// A row's part of the mix as the ear's bands have it.
struct PartHeard {
    std::string row, drum;
    EarFrames frames;
};

// What one stroke adds and what hides it.
struct StrokeThrough {
    double time = 0.0, overDb = 0.0;
    bool ghost = false, together = false;
    int band = 0, before = 0;  // where it is clearest; the frame that holds what was there
};

// The frame whose window ends before the stroke, and the first whose window holds its attack.
struct AttackFrames {
    int before = 0, attack = 0;
};
AttackFrames framesAt(const EarFrames& frames, double seconds) {
    const double place = seconds / frames.hopSeconds;
    return {static_cast<int>(std::floor(place - 2.3)), static_cast<int>(std::lround(place))};
}

float largestOf(const EarFrames& frames, int frame, std::size_t band) {
    float most = 0.0F;
    for (int f = frame; f < std::min(frame + 2, frames.frames()); ++f)
        most = std::max(most, frames.at(f)[band]);
    return most;
}

float meanBefore(const EarFrames& frames, int last, std::size_t band) {
    float sum = 0.0F;
    int count = 0;
    for (int f = std::max(0, last - kBeforeFrames + 1); f <= last; ++f, ++count)
        sum += frames.at(f)[band];
    return sum / static_cast<float>(std::max(1, count));
}

float riseOf(const EarFrames& frames, const AttackFrames& at, std::size_t band) {
    return largestOf(frames, at.attack, band) - meanBefore(frames, at.before, band);
}

// What the whole mix has of a drum against the rows at it, as powers: read where they stand out.
float withOthersOf(const std::vector<AttackFrames>& strokes, const EarFrames& mix,
                   const EarFrames& own) {
    std::vector<double> ratios;
    for (const AttackFrames& at : strokes) {
        for (std::size_t b = 0; b < kEarBands; ++b) {
            const float rise = riseOf(own, at, b);
            if (rise > kElsewhere * meanBefore(mix, at.before, b) && rise > 1e-9F)
                ratios.push_back(static_cast<double>(riseOf(mix, at, b) / rise));
        }
    }
    return ratios.empty() ? 1.0F : std::clamp(static_cast<float>(median(ratios)), 1.0F, kElsewhere);
}

// How far the clearest band of a stroke lies over what hides it.
StrokeThrough lookAt(const Stroke& stroke, const AttackFrames& at, const EarFrames& hiding,
                     const EarFrames& own, float withOthers,
                     const std::vector<const EarFrames*>& struckWith) {
    StrokeThrough out;
    out.time = stroke.time;
    out.ghost = stroke.kind == StrokeKind::ghost;
    out.together = !struckWith.empty();
    out.before = at.before;
    out.overDb = -300.0;
    for (std::size_t b = 0; b < kEarBands; ++b) {
        const float adds = withOthers * riseOf(own, at, b);
        float hides = meanBefore(hiding, at.before, b);
        for (const EarFrames* other : struckWith)
            hides = std::max(hides, largestOf(*other, at.attack, b));
        const double over = 10.0 * std::log10(std::max(1e-15, static_cast<double>(adds)) /
                                              std::max(1e-12, static_cast<double>(hides)));
        if (over <= out.overDb) continue;
        out.overDb = over;
        out.band = static_cast<int>(b);
    }
    return out;
}

EarFrames framesOf(const std::vector<PartHeard>& parts, const std::string& drum) {
    EarFrames out;
    for (const PartHeard& part : parts) {
        if (!drum.empty() && part.drum != drum) continue;
        if (out.power.empty())
            out = {part.frames.hopSeconds, std::vector<float>(part.frames.power.size())};
        for (std::size_t i = 0; i < out.power.size(); ++i) out.power[i] += part.frames.power[i];
    }
    return out;
}

double shareHeard(const std::vector<StrokeThrough>& strokes) {
    if (strokes.empty()) return 1.0;
    const auto heard = std::count_if(strokes.begin(), strokes.end(),
                                     [](const StrokeThrough& s) { return s.overDb >= 0.0; });
    return static_cast<double>(heard) / static_cast<double>(strokes.size());
}

// The row that is loudest where strokes are hidden, mostly, and around which frequency.
void nameWhatHides(const std::vector<PartHeard>& parts, const std::vector<StrokeThrough>& strokes,
                   DrumThrough& out) {
    std::map<std::string, std::vector<double>> often;
    for (const StrokeThrough& s : strokes) {
        if (s.overDb >= 0.0) continue;
        const PartHeard* loudest = nullptr;
        float most = 0.0F;
        const auto band = static_cast<std::size_t>(s.band);
        for (const PartHeard& part : parts) {
            if (part.drum == out.drum) continue;
            const float power =
                std::max(part.frames.at(s.before)[band],
                         s.together ? largestOf(part.frames, s.before + 2, band) : 0.0F);
            if (power > most) {
                most = power;
                loudest = &part;
            }
        }
        if (loudest != nullptr) often[loudest->row].push_back(earBandHertz(s.band));
    }
    for (const auto& [row, where] : often) {
        if (!out.behind.empty() && where.size() <= often[out.behind].size()) continue;
        out.behind = row;
        out.hertz = median(where);
    }
}

void findWeakBars(const Session& session, const std::vector<StrokeThrough>& strokes,
                  DrumThrough& out) {
    std::map<int, std::vector<StrokeThrough>> stretches;
    for (const StrokeThrough& s : strokes) {
        const int bar = barAt(session.time, s.time);
        stretches[(bar - 1) / kThroughBars * kThroughBars + 1].push_back(s);
    }
    for (const auto& [bar, there] : stretches) {
        const double heard = shareHeard(there);
        if (there.size() < kFewest || heard > out.heard - kUnlike || heard >= out.weakHeard)
            continue;
        out.weakBar = bar;
        out.weakHeard = heard;
    }
}

DrumThrough judge(const Session& session, const std::string& drum,
                  const std::vector<StrokeThrough>& all, const std::vector<PartHeard>& parts) {
    DrumThrough out;
    out.drum = drum;
    std::vector<StrokeThrough> strokes, ghosts;
    for (const StrokeThrough& s : all) (s.ghost ? ghosts : strokes).push_back(s);
    out.strokes = static_cast<int>(strokes.size());
    out.ghosts = static_cast<int>(ghosts.size());
    out.ghostsHeard = shareHeard(ghosts);
    out.heard = shareHeard(strokes);
    std::vector<double> over;
    int hidden = 0, together = 0;
    for (const StrokeThrough& s : strokes) {
        over.push_back(s.overDb);
        hidden += s.overDb < 0.0 ? 1 : 0;
        together += s.overDb < 0.0 && s.together ? 1 : 0;
    }
    out.overDb = median(over);
    out.lowDb = quantile(over, 1.0 - kThroughEnough);
    if (!strokes.empty() && out.heard < kThroughEnough) {
        out.raiseDb = std::max(0.0, -out.lowDb);
        out.fault = together > kMostlyTogether * hidden ? ThroughFault::together
                    : out.raiseDb <= kRaiseAtMostDb     ? ThroughFault::level
                                                        : ThroughFault::tone;
    }
    nameWhatHides(parts, strokes, out);
    findWeakBars(session, strokes, out);
    return out;
}

}  // namespace

ThroughMusic throughMusic(const Session& session, AudioStore& store, double from, double to,
                          const Progress& progress) {
    const RenderOptions options = heardOver(std::max(0.0, from), to);
    std::vector<PartHeard> parts;
    std::vector<float> all;
    ThroughMusic out;
    for (RowAudio& part : renderParts(session, store, options, within(progress, 0.0, 0.8))) {
        const Row& row = *findRow(session, part.row);
        const std::vector<float> mono = sidesMixed(part.audio);
        all.resize(mono.size(), 0.0F);
        for (std::size_t i = 0; i < mono.size(); ++i) all[i] += mono[i];
        const bool guest = row.kind == RowKind::guest;
        out.guests = out.guests || guest;
        parts.push_back(
            {row.id, guest ? std::string() : row.drum, earFrames(mono, session.sampleRate)});
        part.audio.channels.clear();
    }
    const EarFrames mix = earFrames(all, session.sampleRate), hiding = maskedThreshold(mix);
    std::map<std::string, EarFrames> own;
    for (const PartHeard& part : parts) {
        if (!part.drum.empty() && !own.contains(part.drum))
            own[part.drum] = framesOf(parts, part.drum);
    }
    std::map<std::string, EarFrames> ownHides;
    for (const auto& [drum, frames] : own) ownHides[drum] = maskedThreshold(frames);

    const std::vector<Stroke>& strokes = session.strokes.get();
    const auto placeOf = [&](const Stroke& stroke) -> std::optional<AttackFrames> {
        const AttackFrames at = framesAt(mix, stroke.time - options.from);
        if (!own.contains(stroke.drum) || at.before < 0 || at.attack + 1 >= mix.frames())
            return std::nullopt;
        return at;
    };
    std::map<std::string, std::vector<AttackFrames>> attacks;
    for (const Stroke& stroke : strokes) {
        if (const auto at = placeOf(stroke)) attacks[stroke.drum].push_back(*at);
    }
    std::map<std::string, float> withOthers;
    for (const auto& [drum, at] : attacks) withOthers[drum] = withOthersOf(at, mix, own[drum]);
    std::map<std::string, std::vector<StrokeThrough>> looked;
    for (const Stroke& stroke : strokes) {
        const auto at = placeOf(stroke);
        if (!at) continue;
        report(progress, 0.9, "Listening for every stroke");
        std::vector<const EarFrames*> with;
        for (const Stroke& other : strokes) {
            if (other.drum == stroke.drum || other.velocity < stroke.velocity ||
                std::abs(other.time - stroke.time) > kTogetherSeconds)
                continue;
            if (const auto rows = ownHides.find(other.drum); rows != ownHides.end())
                with.push_back(&rows->second);
        }
        looked[stroke.drum].push_back(
            lookAt(stroke, *at, hiding, own[stroke.drum], withOthers[stroke.drum], with));
    }
    for (const Drum& drum : session.drums) {
        const auto there = looked.find(drum.id);
        if (there != looked.end())
            out.drums.push_back(judge(session, drum.id, there->second, parts));
    }
    if (out.drums.empty())
        throw Error("No drum with a row of its own is struck there; choose another stretch.");
    return out;
}

std::string throughFaultText(ThroughFault fault) {
    switch (fault) {
        case ThroughFault::level:
            return "level";
        case ThroughFault::tone:
            return "tone";
        case ThroughFault::together:
            return "struck together";
        case ThroughFault::none:
            break;
    }
    return "–";
}

std::vector<std::string> throughText(const Session& session, const ThroughMusic& found) {
    std::vector<std::string> out;
    bool clear = true;
    for (const DrumThrough& d : found.drums) {
        const Row* behind = findRow(session, d.behind);
        const std::string name = drumName(session, d.drum);
        const auto percent = [](double share) { return numberText(100.0 * share, 0) + " %"; };
        if (d.fault != ThroughFault::none) {
            clear = false;
            // Of a few strokes no share is told.
            const bool few = d.strokes < kShareFrom;
            const auto through = std::lround(d.heard * d.strokes);
            std::string text =
                name + ": " +
                (few ? std::to_string(through) + " of its " + std::to_string(d.strokes)
                     : percent(d.heard) + " of its") +
                " strokes come through";
            if (behind != nullptr)
                text +=
                    ", the others are hidden by " + behind->name + " around " + hertzText(d.hertz);
            if (d.fault == ThroughFault::level)
                text += ". " + numberText(d.raiseDb, 1) + " dB more and " +
                        (few ? std::string("they") : percent(kThroughEnough)) + " would.";
            else if (d.fault == ThroughFault::tone)
                text += ". Level alone would take " + numberText(d.raiseDb, 1) +
                        " dB: what it has lies where others are, so make room there or give it "
                        "something elsewhere.";
            else
                text +=
                    ". They fall together with louder strokes of others: that is how it is "
                    "played, or one of the two gives way there.";
            out.push_back(std::move(text));
        }
        if (d.weakBar > 0)
            out.push_back(name + " is weakest from bar " + std::to_string(d.weakBar) +
                          " on: " + percent(d.weakHeard) + " there.");
        if (d.ghosts > 0 && d.ghostsHeard < 0.5)
            out.push_back(name + ": " + percent(d.ghostsHeard) + " of its " +
                          std::to_string(d.ghosts) + " ghost notes come through.");
    }
    if (clear)
        out.insert(out.begin(), found.guests ? "Every drum comes through."
                                             : "Every drum comes through the others; there is no "
                                               "guest to be heard against.");
    return out;
}

Session withDrumRaised(Session session, const std::string& drum, double db) {
    const auto stands = [&](const Row& row) {
        return row.kind == RowKind::element && row.drum == drum;
    };
    if (std::none_of(session.rows.begin(), session.rows.end(), stands))
        throw Error("Nothing stands at “" + drum + "” any more.");
    return withTrim(std::move(session), db, stands);
}

}  // namespace ember
