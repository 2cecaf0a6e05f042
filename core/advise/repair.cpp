#include "core/advise/eq_fit.h"
#include "core/advise/proposal.h"

#include <algorithm>
#include <cmath>

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

}  // namespace

std::vector<Proposal> adviseRepair(const Session& session, const KitMeasurement& m) {
    std::vector<Proposal> out;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::element || findStage(row, "eq") == nullptr) continue;
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
                     std::clamp(std::round(ring.levelDb + 2.0 * cut.gainDb), -80.0,
                                0.0)});
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
        p.confidence = std::max(0.5, tone->fundamentalConfidence);
        if (wouldOverwrite(*findStage(row, "eq"), p.moves)) continue;
        out.push_back(std::move(p));
    }
    return out;
}

}  // namespace ember
