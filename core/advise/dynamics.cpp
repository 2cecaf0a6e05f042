// Whether a drum wants compression, and with what settings; and how much colour it can carry.

#include "core/advise/common.h"
#include "core/advise/foretell.h"
#include "core/advise/proposal.h"
#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/dsp/compressor.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// Strokes that already lie this close together need no evening out; a crest under this has no
// attack left to spare.
constexpr double kEvenDb = 1.5, kFlatCrestDb = 11.0;

// The drum's tone where this row is its first microphone.
const DrumTone* firstToneIn(const KitMeasurement& m, const Row& row, const std::string& drum) {
    for (const DrumTone& t : m.tone) {
        if (t.drum == drum && t.mic == row.id) return &t;
    }
    return nullptr;
}

// Peaks of the strokes that carry the drum, ghosts left out.
std::vector<double> fullStrokes(const KitMeasurement& m, const std::string& mic) {
    for (const Separation& s : m.separation) {
        if (s.mic != mic) continue;
        std::vector<double> out;
        const double ghosts = s.ghostDb.empty() ? -200.0 : quantile(s.ghostDb, 0.9);
        for (const double db : s.ownDb) {
            if (db > ghosts) out.push_back(db);
        }
        return out.empty() ? s.ownDb : out;
    }
    return {};
}

// A compressor with these values, foretold on strokes at these peaks.
struct Foretold {
    double spreadDb = 0.0, attackToBodyDb = 0.0;
};
Foretold foretell(const DrumTone& tone, const std::vector<ParameterMove>& moves,
                  const std::vector<double>& peaks) {
    const ParameterTable table = processorType("compressor").table;
    const std::vector<double> values = withMoves(table, standardValues(table), moves);
    std::vector<double> levels;
    for (const double q : {0.1, 0.3, 0.5, 0.7, 0.9}) levels.push_back(quantile(peaks, q));
    Foretold f{tone.levelSpreadDb, tone.transientToBodyDb};
    const auto heard = throughProcessor(tone, "compressor", values, levels);
    if (heard.empty()) return f;
    const auto spread = [](const std::vector<double>& db) {
        double mean = 0.0, square = 0.0;
        for (const double v : db) mean += v / static_cast<double>(db.size());
        for (const double v : db) square += (v - mean) * (v - mean);
        return std::sqrt(square / static_cast<double>(db.size()));
    };
    std::vector<double> out;
    for (const StrokeFigures& figures : heard) out.push_back(figures.peakDb);
    f.spreadDb = tone.levelSpreadDb * spread(out) / std::max(0.01, spread(levels));
    f.attackToBodyDb += changeThrough(tone, "compressor", values).transientToBodyDb;
    return f;
}

// What a press does to the strokes, in figures and words.
struct PressPlan {
    const char *title, *school;
    double ratio, knee, attackMs, releaseMs, thresholdDb, makeUpDb;
};

Proposal pressing(const KitMeasurement& m, const Row& row, const DrumTone& tone,
                  const std::vector<double>& peaks, const PressPlan& plan) {
    Proposal p;
    p.step = "dynamics";
    p.row = row.id;
    p.drum = tone.drum;
    p.evidence = evidenceOf(m, tone.drum, true);
    p.moves = {{"threshold", std::round(std::clamp(plan.thresholdDb, -60.0, -1.0) * 2.0) / 2.0},
               {"ratio", plan.ratio},
               {"knee", plan.knee},
               {"attack", std::round(plan.attackMs * 10.0) / 10.0},
               {"release", std::round(plan.releaseMs)},
               {"key-high-pass", tone.drum == "kick" ? 10.0 : 80.0},
               {"make-up", std::round(plan.makeUpDb * 2.0) / 2.0}};
    p.title = plan.title;
    p.school = plan.school;
    const Foretold f = foretell(tone, p.moves, peaks);
    p.effects.push_back({"spread of the strokes", "dB", tone.levelSpreadDb, f.spreadDb, {}});
    p.effects.push_back(
        {"attack against body", "dB", tone.transientToBodyDb, f.attackToBodyDb, {}});
    p.confidence = 0.6;
    return p;
}

// More attack where none is left, less ring where it runs into the drum's own next stroke.
std::optional<Proposal> shaping(const KitMeasurement& m, const Row& row, const DrumTone& tone) {
    constexpr double kNoAttackDb = 8.5, kFallenDb = 20.0;
    std::vector<double> gaps;
    double last = -1.0;
    for (const Stroke& s : m.strokes.strokes) {
        if (s.drum != tone.drum || s.kind == StrokeKind::flam) continue;
        if (last >= 0.0) gaps.push_back(s.time - last);
        last = s.time;
    }
    const double gap = median(gaps);
    const bool flat = tone.crestDb < kNoAttackDb;
    const bool rings = gap > 0.0 && tone.decayT60 > 0.0 && 60.0 * gap / tone.decayT60 < kFallenDb;
    if (!flat && !rings) return std::nullopt;
    const auto existing = std::find_if(row.chain.begin(), row.chain.end(),
                                       [](const Stage& s) { return s.type == "transient"; });
    Proposal p;
    p.id = row.id + ".shape";
    p.step = "dynamics";
    p.row = row.id;
    p.stageType = "transient";
    p.stage = existing == row.chain.end() ? "transient" : existing->id;
    p.drum = tone.drum;
    p.evidence = evidenceOf(m, tone.drum, true);
    const double attack = flat ? 4.0 : 0.0, sustain = rings ? -6.0 : 0.0;
    p.moves = {{"attack", attack},
               {"attack-time", std::round(std::clamp(tone.transientMs, 5.0, 40.0))},
               {"sustain", sustain},
               {"sustain-time", std::round(std::clamp(500.0 * tone.decayT60, 60.0, 600.0))}};
    p.title = flat ? (rings ? "More attack, less ring" : "More attack") : "Less ring";
    p.school = "shape instead of press";
    if (flat)
        p.reason = "Its peaks stand only " + fixedText(tone.crestDb, 1) +
                   " dB over the average: a compressor has nothing to press, a shaper lifts the "
                   "first " +
                   fixedText(p.moves[1].value, 0) + " ms by up to 4 dB. ";
    if (rings)
        p.reason += "It rings for " + fixedText(1000.0 * tone.decayT60, 0) +
                    " ms while the next stroke usually comes after " + fixedText(1000.0 * gap, 0) +
                    ": what rings is taken back by up to 6 dB, so that strokes stand apart.";
    if (auto punch = punchEffect(tone, "transient", p.moves)) p.effects.push_back(*punch);
    p.confidence = 0.5;
    if (existing != row.chain.end() && wouldOverwrite(*existing, p.moves)) return std::nullopt;
    return p;
}

}  // namespace

std::vector<Proposal> adviseDynamics(const Session& session, const KitMeasurement& m,
                                     DynamicsSchool school) {
    std::vector<Proposal> out;
    for (const Row& row : session.rows) {
        const Stage* stage = findStage(row, "compressor");
        if (row.kind != RowKind::element || stage == nullptr) continue;
        const std::string drum = drumOfRow(session, row.id);
        const DrumTone* tone = firstToneIn(m, row, drum);
        const std::vector<double> peaks = fullStrokes(m, row.id);
        if (tone == nullptr || peaks.size() < 6 || drum == "hihat" || drum == "cymbal") continue;
        if (auto p = shaping(m, row, *tone)) out.push_back(std::move(*p));
        const bool uneven = tone->levelSpreadDb > kEvenDb;
        if (!uneven || tone->crestDb < kFlatCrestDb) continue;  // not called for
        const double gap = tone->shortestGap > 0.0 ? tone->shortestGap : 0.3;
        // Three time constants give back 95 %: that is when it has recovered.
        const double release = std::clamp(1000.0 * gap / 3.0, 30.0, 300.0);
        const double usual = quantile(peaks, 0.5), loud = quantile(peaks, 0.95);
        // Punch: the attack passes whole before the reduction arrives. Density: it is caught.
        const double slow = std::clamp(1.2 * tone->transientMs, 8.0, 50.0),
                     fast = std::clamp(0.1 * tone->transientMs, 0.5, 50.0);
        // The threshold that reduces a level by so much.
        const auto under = [](double level, double reduction, double ratio) {
            return level - reduction / (1.0 - 1.0 / ratio);
        };
        const std::string spread = "Its strokes spread by " + fixedText(tone->levelSpreadDb, 1) +
                                   " dB. The attack is over after " +
                                   fixedText(tone->transientMs, 0) + " ms";
        const std::string custom =
            " Usual for drums: ratio 2 to 4 to control, 5 and over to shape.";
        const auto pressed = [](const Proposal& p, double level) {
            return -compressorCurve(level, p.moves[0].value, p.moves[1].value, p.moves[2].value,
                                    60.0);
        };
        if (school == DynamicsSchool::pair) {
            // The first takes the tips only, the second leans on all of it.
            PressPlan tips{"First of two: the loudest strokes caught",
                           "two that share the work",
                           6.0,
                           3.0,
                           1.0,
                           std::min(release, 80.0),
                           under(loud, 3.0, 6.0),
                           0.0};
            Proposal first = pressing(m, row, *tone, peaks, tips);
            first.id = row.id + ".dynamics";
            first.stage = stage->id;
            first.reason = spread +
                           "; two compressors that do a little each are heard less than "
                           "one that does it all. This one, fast, takes " +
                           fixedText(pressed(first, loud), 1) + " dB off the loudest and " +
                           fixedText(std::max(0.0, pressed(first, usual)), 1) +
                           " dB off the usual strokes." + custom;
            PressPlan lean{"Second of two: all strokes leant on",
                           "two that share the work",
                           2.5,
                           6.0,
                           slow,
                           release,
                           under(usual, 2.5, 2.5),
                           1.0};
            Proposal second = pressing(m, row, *tone, peaks, lean);
            second.id = row.id + ".dynamics-2";
            second.stage = "compressor-2";
            second.stageType = "compressor";
            second.behind = stage->id;
            second.reason = "Behind the fast one, slow: " + fixedText(slow, 1) +
                            " ms let the attack through, then the body is pressed by about " +
                            fixedText(pressed(second, usual), 1) + " dB; " + fixedText(release, 0) +
                            " ms of release has recovered before the next stroke after " +
                            fixedText(1000.0 * gap, 0) + " ms.";
            const Stage* other = findStage(row, "compressor-2");
            if (!wouldOverwrite(*stage, first.moves)) out.push_back(std::move(first));
            if (other == nullptr || !wouldOverwrite(*other, second.moves))
                out.push_back(std::move(second));
            continue;
        }
        const bool punch = school == DynamicsSchool::punch;
        const double attack = punch ? slow : fast, ratio = punch ? 4.0 : 3.0;
        // The usual stroke is reduced by 3 dB, or by what the spread asks for.
        const double wanted = std::clamp(1.5 * tone->levelSpreadDb, 3.0, 6.0);
        const double threshold = under(usual, wanted, ratio);
        const double some = -compressorCurve(usual, threshold, ratio, 6.0, 60.0);
        Proposal p = pressing(m, row, *tone, peaks,
                              {punch ? "Compression for punch" : "Compression for density",
                               punch ? "slow attack for punch" : "fast attack for density", ratio,
                               6.0, attack, release, threshold, 0.5 * some});
        p.id = row.id + ".dynamics";
        p.stage = stage->id;
        p.reason = spread + ", so " + fixedText(attack, 1) + " ms " +
                   (punch ? "lets it through and presses the body" : "catches it") +
                   "; the shortest gap is " + fixedText(1000.0 * gap, 0) + " ms, so " +
                   fixedText(release, 0) +
                   " ms of release has recovered before the next stroke. Usual "
                   "strokes are pressed by up to " +
                   fixedText(pressed(p, usual), 1) + " dB, the loudest by " +
                   fixedText(pressed(p, loud), 1) + " dB." + custom;
        if (!wouldOverwrite(*stage, p.moves)) out.push_back(std::move(p));
    }
    return out;
}

std::vector<Proposal> adviseColour(const Session& session, const KitMeasurement& m,
                                   ColourSchool school) {
    std::vector<Proposal> out;
    if (school == ColourSchool::clean) return out;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::element) continue;
        const std::string drum = drumOfRow(session, row.id);
        const DrumTone* tone = firstToneIn(m, row, drum);
        const std::vector<double> peaks = fullStrokes(m, row.id);
        // Round drums only; and only where there is an attack to spare.
        if (tone == nullptr || peaks.size() < 6 || tone->crestDb < kFlatCrestDb + 2.0 ||
            !(drum == "kick" || drum == "snare" || drum.starts_with("tom")))
            continue;
        const auto existing = std::find_if(row.chain.begin(), row.chain.end(),
                                           [](const Stage& s) { return s.type == "saturation"; });
        if (existing != row.chain.end() && existing->mark == Mark::decided && existing->on == false)
            continue;
        Proposal p;
        p.id = row.id + ".colour";
        p.step = "colour";
        p.row = row.id;
        p.stage = existing != row.chain.end() ? existing->id : "saturation";
        p.stageType = "saturation";
        p.drum = drum;
        p.evidence = evidenceOf(m, drum, true);
        // Usual strokes reach the bend by 3 dB.
        const double drive = std::clamp(3.0 - quantile(peaks, 0.5), 0.0, 18.0);
        p.moves = {{"drive", std::round(drive * 2.0) / 2.0},
                   {"curve", 2.0},
                   {"to", drum == "kick" ? 20000.0 : 8000.0},
                   {"mix", 50.0}};
        p.title = "Tape colour, half mixed in";
        p.school = "coloured";
        p.reason =
            "Peaks stand " + fixedText(tone->crestDb, 1) +
            " dB above the average: " + fixedText(drive, 1) +
            " dB of drive bends the tips of the usual strokes by about 3 dB; "
            "at half mix the attack keeps its edge, and above 8 kHz nothing is bent, so that "
            "bleeding cymbals stay clean.";
        const ParameterTable table = processorType("saturation").table;
        const Change change =
            changeThrough(*tone, "saturation", withMoves(table, standardValues(table), p.moves));
        p.effects.push_back({"crest", "dB", tone->crestDb, tone->crestDb + change.crestDb, {}});
        p.effects.push_back({"attack against body",
                             "dB",
                             tone->transientToBodyDb,
                             tone->transientToBodyDb + change.transientToBodyDb,
                             {}});
        p.confidence = 0.4;
        out.push_back(std::move(p));
    }
    return out;
}

}  // namespace ember
