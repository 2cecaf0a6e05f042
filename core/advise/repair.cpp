#include "core/advise/eq_fit.h"
#include "core/advise/proposal.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace ember {
namespace {

constexpr double kMostRings = 3;
constexpr double kMostStrokes = 0.7;  // a ring on fewer is cut while it rings only
constexpr double kSubHertz = 30.0;
constexpr double kLowPassBelow = 9000.0;  // above that a low-pass would gain nothing

std::string hertz(double v) {
    return v >= 1000.0 ? std::to_string(static_cast<int>(std::lround(v / 100.0)) / 10) + "." +
                             std::to_string(static_cast<int>(std::lround(v / 100.0)) % 10) + " kHz"
                       : std::to_string(static_cast<int>(std::lround(v))) + " Hz";
}

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

// Whether a person has set this equaliser otherwise: what they decided is not written over.
bool wouldOverwrite(const Stage& eq, const std::vector<ParameterMove>& moves) {
    if (eq.mark != Mark::decided) return false;
    const ParameterTable table = processorType(eq.type).table;
    return std::any_of(moves.begin(), moves.end(), [&](const ParameterMove& move) {
        const int index = parameterIndex(table, move.parameter);
        return index >= 0 &&
               std::abs(eq.values[static_cast<std::size_t>(index)] - move.value) > 1e-9;
    });
}

// A low-pass where the drum has fallen so far that what is left up there is its neighbours'.
void addLowPass(const DrumTone& tone, const KitMeasurement& m, Proposal& p) {
    if (tone.highestHertz <= 0.0 || tone.highestHertz > kLowPassBelow) return;
    const bool neighbours = std::any_of(m.strokes.bleed.begin(), m.strokes.bleed.end(),
                                        [&](const BleedMark& b) { return b.mic == p.row; });
    if (!neighbours) return;
    const double corner = std::round(1.4 * tone.highestHertz);
    p.moves.push_back({"b2.on", 1.0});
    p.moves.push_back({"b2.shape", 4.0});
    p.moves.push_back({"b2.frequency", corner});
    p.moves.push_back({"b2.slope", 1.0});
    p.title += " and low-pass";
    p.reason += " Above " + hertz(tone.highestHertz) +
                " lies less than a thousandth of its energy; what is up there is bleed.";
}

// What the moves leave of the strokes' energy, dB.
double keptDb(const DrumTone& tone, const std::vector<ParameterMove>& moves, double rate) {
    const ParameterTable table = processorType("eq").table;
    std::vector<double> values = standardValues(table);
    for (const ParameterMove& move : moves)
        values[static_cast<std::size_t>(parameterIndex(table, move.parameter))] = move.value;
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
    const bool tomMics = has([](Role r) { return r == Role::rackTom || r == Role::floorTom; });
    const bool kick =
        has([](Role r) { return r == Role::kickIn || r == Role::kickOut || r == Role::kick; });
    double lowest = 0.0;
    std::string drum;
    for (const DrumTone& t : m.tone) {
        const bool onlyHere = t.drum == "snare" || (t.drum.starts_with("tom") && !tomMics);
        if (!onlyHere || t.fundamental <= 0.0) continue;
        if (lowest > 0.0 && t.fundamental >= lowest) continue;
        lowest = t.fundamental;
        drum = t.drum;
    }
    if (!kick || lowest <= 0.0) return std::nullopt;
    const double corner = std::round(0.55 * lowest);
    Proposal p;
    p.id = row.id + ".repair";
    p.step = "repair";
    p.row = row.id;
    p.stage = "eq";
    p.title = "High-pass";
    p.school = "first remove";
    p.moves = {{"b1.on", 1.0}, {"b1.shape", 3.0}, {"b1.frequency", corner}, {"b1.slope", 1.0}};
    p.reason = (tomMics ? "Kick and toms have microphones of their own; the lowest note that "
                          "counts here is the "
                        : "No tom has a microphone of its own, so the overheads keep them; the "
                          "lowest note is the ") +
               drum + "’s at " + hertz(lowest) + ". Below " + hertz(corner) +
               " lies only the kick’s rumble.";
    p.confidence = 0.6;
    return p;
}

}  // namespace

std::vector<Proposal> adviseRepair(const Session& session, const KitMeasurement& m) {
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
        p.title = "High-pass";
        p.school = "first remove";
        const double corner = cornerFor(row.role, *tone);
        if (corner <= 0.0) continue;
        p.moves = {{"b1.on", 1.0},
                   {"b1.shape", 3.0},
                   {"b1.frequency", std::round(corner)},
                   {"b1.slope", 2.0}};
        p.reason = tone->fundamental > 0.0
                       ? "Its note lies at " + hertz(tone->fundamental) + "; below " +
                             hertz(corner) + " there is only what the others play."
                       : "Below " + hertz(corner) + " this drum holds nothing of its own.";
        if (tone->mic == row.id) addLowPass(*tone, m, p);
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
            p.title = band == 4 ? p.title + " and ring cut" : p.title;
            p.reason += " A ring at " + hertz(ring.hertz) + " stands out on " +
                        std::to_string(static_cast<int>(std::lround(100.0 * ring.share))) +
                        " % of the strokes and lasts " +
                        std::to_string(static_cast<int>(std::lround(1000.0 * ring.t60))) + " ms." +
                        (moving ? " The cut comes and goes with it." : "");
            p.effects.push_back({"ring at " + hertz(ring.hertz),
                                 "dB",
                                 ring.prominenceDb,
                                 ring.prominenceDb + cut.gainDb,
                                 {}});
        }
        for (const Stroke& s : m.strokes.strokes) {
            if (s.drum == drum && p.evidence.size() < 48) p.evidence.push_back(s.time);
        }
        if (tone->mic == row.id) {
            p.effects.push_back({"level of its strokes",
                                 "dB",
                                 0.0,
                                 keptDb(*tone, p.moves, session.sampleRate),
                                 {}});
        }
        p.confidence = std::max(0.5, tone->fundamentalConfidence);
        if (wouldOverwrite(*findStage(row, "eq"), p.moves)) continue;
        out.push_back(std::move(p));
    }
    return out;
}

}  // namespace ember
