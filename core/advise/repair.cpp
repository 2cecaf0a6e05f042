#include "core/advise/common.h"
#include "core/advise/eq_fit.h"
#include "core/base/number.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace ember {
namespace {

constexpr double kMostRings = 3;
constexpr double kMostStrokes = 0.7;  // a ring on fewer is cut while it rings only
constexpr double kSubHertz = 30.0;
constexpr double kSubsonicHertz = 40.0;   // a corner below: under everything a drum plays
constexpr double kNothingDb = -42.0;      // of the strokes, above a low-pass
constexpr double kLeastBleedDb = -36.0;   // against the drum itself: under that none is worth it
constexpr double kLowPassBelow = 9000.0;  // above that a low-pass would gain nothing

// Cymbals and hats hold nothing down there; heads keep an octave of air under their note.
double cornerFor(Role role, const DrumTone& tone) {
    switch (role) {
        case Role::hat:
            return 300.0;
        case Role::ride:
        case Role::crash:
            return 250.0;
        case Role::kickIn:
        case Role::kickOut:
        case Role::kick:
            return kSubHertz;
        default:
            return tone.fundamental > 0.0 ? 0.55 * tone.fundamental : 0.0;
    }
}

// Whether there is anything far below the corner for a high-pass to remove: in the drum's strokes
// as this row hears them (null where it has none), or in everything that it recorded.
bool worthHighPass(const KitMeasurement& m, const Row& row, const DrumTone* heard, double corner) {
    constexpr double kWorthDb = -30.0, kWorthOfAllDb = -15.0, kRumbleDb = -30.0;
    const auto share = [&](const Spectrum& s) {
        double below = 1e-20, all = 1e-20;
        for (std::size_t i = 0; i < s.frequency.size(); ++i) {
            const double power = std::pow(10.0, s.level[i] / 10.0);
            all += power;
            if (s.frequency[i] < 0.6 * corner) below += power;
        }
        return 10.0 * std::log10(below / all);
    };
    const auto levels = std::find_if(m.levels.begin(), m.levels.end(),
                                     [&](const SignalLevels& l) { return l.row == row.id; });
    // What lies under a kick is rumble of stand and floor, or nothing.
    if (corner < kSubsonicHertz) return levels != m.levels.end() && levels->rumbleDb > kRumbleDb;
    if (heard != nullptr && share(heard->median) > kWorthDb) return true;
    return levels != m.levels.end() && share(levels->spectrum) > kWorthOfAllDb;
}

// A low-pass where the drum has fallen so far that what is left up there is its neighbours'.
void addLowPass(const DrumTone& tone, const KitMeasurement& m, Proposal& p) {
    if (tone.highestHertz <= 0.0 || tone.highestHertz > kLowPassBelow) return;
    double above = 1e-20, all = 1e-20;
    for (std::size_t i = 0; i < tone.median.frequency.size(); ++i) {
        const double power = std::pow(10.0, tone.median.level[i] / 10.0);
        all += power;
        if (tone.median.frequency[i] > 2.0 * tone.highestHertz) above += power;
    }
    if (10.0 * std::log10(above / all) < kNothingDb) return;  // it is cut already
    const bool neighbours = std::any_of(m.bleed.begin(), m.bleed.end(), [&](const BleedLevel& b) {
        // Drums bleed low, cymbals high.
        return b.mic == p.row && isMetal(b.drum) && b.relativeDb > kLeastBleedDb;
    });
    if (!neighbours) return;
    const double corner = std::round(1.4 * tone.highestHertz);
    p.moves.push_back({"b2.on", 1.0});
    p.moves.push_back({"b2.shape", 4.0});
    p.moves.push_back({"b2.frequency", corner});
    p.moves.push_back({"b2.slope", 1.0});
    p.title += p.title.empty() ? "Low-pass" : " and low-pass";
    p.reason += (p.reason.empty() ? "Above " : " Above ") + hertzText(tone.highestHertz) +
                " lies less than a thousandth of its energy; what is up there is bleed.";
}

// What the moves leave of the strokes' energy, dB.
double keptDb(const DrumTone& tone, const std::vector<ParameterMove>& moves, double rate) {
    const std::vector<double> values = withMoves("eq", moves);
    return curveGainDb(tone.median, eqResponseDb(values, tone.median.frequency, rate), 20.0);
}

// Overheads hear everything: their high-pass goes as far up as nothing is lost that no other
// microphone has.
std::optional<Proposal> overheadCorner(const Session& session, const KitMeasurement& m,
                                       const Row& row) {
    const auto has = [&](auto wanted) {
        return std::any_of(session.rows.begin(), session.rows.end(),
                           [&](const Row& r) { return wanted(r.role); });
    };
    const bool tomMics =
        has([](Role r) { return r == Role::rackTom || r == Role::floorTom || r == Role::tom; });
    const bool kick =
        has([](Role r) { return r == Role::kickIn || r == Role::kickOut || r == Role::kick; });
    double lowest = 0.0;
    std::string drum;
    for (const DrumTone& t : m.tone) {
        const bool onlyHere = t.drum == "snare" || (isTom(t.drum) && !tomMics);
        if (!onlyHere || t.fundamental <= 0.0) continue;
        if (lowest > 0.0 && t.fundamental >= lowest) continue;
        lowest = t.fundamental;
        drum = t.drum;
    }
    if (!kick || lowest <= 0.0) return std::nullopt;
    const double corner = std::round(0.55 * lowest);
    if (!worthHighPass(m, row, nullptr, corner)) return std::nullopt;
    Proposal p;
    p.id = row.id + ".repair";
    p.step = "repair";
    p.row = row.id;
    p.stage = "eq";
    p.title = "High-pass";
    p.school = "EQ first";
    p.moves = {{"b1.on", 1.0}, {"b1.shape", 3.0}, {"b1.frequency", corner}, {"b1.slope", 2.0}};
    p.reason = (tomMics ? "Kick and toms have microphones of their own; the lowest note that "
                          "counts here is the "
                        : "No tom has a microphone of its own, so the overheads keep them; the "
                          "lowest note is the ") +
               drumName(session, drum) + "’s at " + hertzText(lowest) + ". Below " +
               hertzText(corner) + " lies only the kick’s rumble.";
    p.confidence = 0.6;
    return p;
}

}  // namespace

std::vector<Proposal> adviseRepair(const Session& session, const KitMeasurement& m,
                                   EqSchool school) {
    std::vector<Proposal> out;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::element || findStage(row, "eq") == nullptr) continue;
        if (row.role == Role::overhead) {
            if (auto p = overheadCorner(session, m, row);
                p && !wouldOverwrite(*findStage(row, "eq"), p->moves))
                out.push_back(std::move(*p));
            continue;
        }
        const std::string drum = drumOfRow(session, row.id);
        const auto tone = std::find_if(m.tone.begin(), m.tone.end(),
                                       [&](const DrumTone& t) { return t.drum == drum; });
        if (drum.empty() || tone == m.tone.end()) continue;
        Proposal p;
        p.id = row.id + ".repair";
        p.step = "repair";
        p.row = row.id;
        p.stage = "eq";
        p.drum = drum;
        p.school = school == EqSchool::first ? "EQ first" : "EQ later";
        const double corner = cornerFor(row.role, *tone);
        if (corner <= 0.0) continue;
        const DrumTone* heard = toneIn(m, row.id, drum);  // in this microphone
        if (worthHighPass(m, row, heard, corner)) {
            p.title = "High-pass";
            p.moves = {{"b1.on", 1.0},
                       {"b1.shape", 3.0},
                       {"b1.frequency", std::round(corner)},
                       {"b1.slope", 2.0}};
            p.reason = corner < kSubsonicHertz
                           ? "Below " + hertzText(corner) +
                                 " lies rumble of floor and stands, which takes room from the "
                                 "note at " +
                                 hertzText(tone->fundamental) + "."
                       : tone->fundamental > 0.0
                           ? "Its note lies at " + hertzText(tone->fundamental) + "; below " +
                                 hertzText(corner) + " there is only what the others play."
                           : "Below " + hertzText(corner) + " this drum holds nothing of its own.";
        }
        // Where nothing else hears the wires their treble is this microphone's business.
        const bool wiresHere =
            row.role == Role::snareTop &&
            std::none_of(session.rows.begin(), session.rows.end(),
                         [](const Row& r) { return r.role == Role::snareBottom; });
        if (tone->mic == row.id && !wiresHere) addLowPass(*tone, m, p);
        if (wiresHere && !p.moves.empty())
            p.reason +=
                " Without a bottom microphone the wires sound in here alone: nothing is "
                "taken from its treble.";
        int band = 3;
        for (const Ring& ring : tone->rings) {
            if (band - 3 >= kMostRings) break;
            const BandFit cut = cutAt(tone->median, std::span(&ring, 1), ring.hertz);
            const std::string b = "b" + std::to_string(band++);
            // What rings on some strokes only is cut on those only.
            const bool moving = ring.share < kMostStrokes;
            p.moves.push_back({b + ".on", 1.0});
            p.moves.push_back({b + ".shape", 0.0});
            p.moves.push_back({b + ".frequency", cut.frequency});
            p.moves.push_back({b + (moving ? ".range" : ".gain"), cut.gainDb});
            if (moving) {
                // Half a dB for each dB over it: the loudest ring is cut in full.
                p.moves.push_back(
                    {b + ".threshold",
                     std::clamp(std::round(ring.levelDb + 2.0 * cut.gainDb), -80.0, 0.0)});
            }
            p.moves.push_back({b + ".q", std::round(10.0 * cut.q) / 10.0});
            if (band == 4) p.title += p.title.empty() ? "Ring cut" : " and ring cut";
            p.reason += (p.reason.empty() ? "A ring at " : " A ring at ") + hertzText(ring.hertz) +
                        " stands out on " + numberText(100.0 * ring.share, 0) +
                        " % of the strokes and lasts " + numberText(1000.0 * ring.t60, 0) + " ms." +
                        (moving ? " The cut comes and goes with it." : "");
            p.effects.push_back({EffectKind::ring,
                                 "ring at " + hertzText(ring.hertz),
                                 "dB",
                                 ring.prominenceDb,
                                 ring.prominenceDb + cut.gainDb,
                                 {},
                                 cut.frequency,
                                 cut.frequency});
        }
        if (p.moves.empty()) continue;
        p.evidence = evidenceOf(m, drum, false);
        if (heard != nullptr) {
            p.effects.push_back({EffectKind::band,
                                 "level of its strokes",
                                 "dB",
                                 0.0,
                                 keptDb(*heard, p.moves, session.sampleRate),
                                 {},
                                 20.0,
                                 20000.0});
            if (auto punch = punchEffect(*heard, "eq", p.moves)) p.effects.push_back(*punch);
        }
        if (findStage(row, "compressor") != nullptr) {
            (school == EqSchool::first ? p.before : p.behind) = "compressor";
            if (school == EqSchool::later)
                p.reason +=
                    " It stands behind the compressor, which then hears the drum as it was "
                    "played.";
        }
        p.confidence = std::max(0.5, tone->fundamentalConfidence);
        if (wouldOverwrite(*findStage(row, "eq"), p.moves)) continue;
        out.push_back(std::move(p));
    }
    return out;
}

}  // namespace ember
