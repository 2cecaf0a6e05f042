// Whether a drum wants compression, and with what settings; and how much colour it can carry.

#include "core/advise/common.h"
#include "core/advise/foretell.h"
#include "core/advise/proposal.h"
#include "core/base/number.h"
#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/dsp/compressor.h"
#include "core/measure/strokes/typical.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// Strokes that already lie this close together need no evening out; a crest under this has no
// attack left to spare.
constexpr double kEvenDb = 2.0, kFlatCrestDb = 11.0;

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

// What a press is to do to the strokes, in figures and words. `usualDb` and `loudDb` are peaks.
struct PressPlan {
    const char *title, *school;
    double ratio, knee, attackMs, releaseMs;
    double atDb, reductionDb;  // a stroke at this peak is to be reduced by so much at most
};

struct Pressed {
    Proposal proposal;
    double usualDb = 0.0, loudDb = 0.0;  // what it takes off usual and loud strokes at most
};

// A proposal whose threshold is found on the drum's own strokes; nothing where they would hardly
// change. `usual` and `loud` are their peaks, dBFS.
std::optional<Pressed> pressing(const KitMeasurement& m, const Row& row, const DrumTone& tone,
                                const std::vector<double>& peaks, const PressPlan& plan,
                                double usual, double loud) {
    constexpr double kWorthDb = 0.3;
    if (tone.typical.empty()) return std::nullopt;
    Proposal p;
    p.step = "dynamics";
    p.row = row.id;
    p.drum = tone.drum;
    p.evidence = evidenceOf(m, tone.drum, true);
    p.title = plan.title;
    p.school = plan.school;
    p.confidence = 0.6;
    p.moves = {{"ratio", plan.ratio},
               {"knee", plan.knee},
               {"attack", std::round(plan.attackMs * 10.0) / 10.0},
               {"release", std::round(plan.releaseMs)},
               {"key-high-pass", tone.drum == "kick" ? 10.0 : 80.0}};
    std::vector<double> values = withMoves("compressor", p.moves);
    const double threshold =
        std::clamp(std::round(2.0 * thresholdFor(tone, values, plan.atDb, plan.reductionDb)) / 2.0,
                   -60.0, 0.0);
    values[Compressor::threshold] = threshold;
    // Soft, usual and loud strokes, before and after.
    std::vector<double> levels;
    for (const double q : {0.1, 0.3, 0.5, 0.7, 0.9}) levels.push_back(quantile(peaks, q));
    const std::size_t middle = levels.size() / 2;
    levels.insert(levels.end(), {usual, loud});
    const auto heard = throughProcessor(tone, "compressor", values, levels);
    const StrokeFigures untouched = readStroke(tone.typical.front(), kTypicalRate);
    const auto spread = [&](auto level) {
        double mean = 0.0, square = 0.0;
        for (std::size_t i = 0; i < 5; ++i) mean += level(i) / 5.0;
        for (std::size_t i = 0; i < 5; ++i) square += (level(i) - mean) * (level(i) - mean);
        return std::sqrt(square / 5.0);
    };
    const auto energyDb = [](const StrokeFigures& f) { return 10.0 * std::log10(f.energy); };
    const double wasSpread = spread([&](std::size_t i) { return levels[i]; }),
                 isSpread = spread([&](std::size_t i) { return energyDb(heard[i].figures); });
    const double spreadDb = tone.levelSpreadDb * isSpread / std::max(0.01, wasSpread),
                 punchDb = changeThrough(tone, "compressor", values).transientToBodyDb;
    if (tone.levelSpreadDb - spreadDb < kWorthDb && std::abs(punchDb) < kWorthDb)
        return std::nullopt;
    // As loud as before: the usual stroke keeps its energy.
    const double lost =
        energyDb(untouched) + levels[middle] - untouched.peakDb - energyDb(heard[middle].figures);
    p.moves.insert(p.moves.begin(), {"threshold", threshold});
    p.moves.push_back({"make-up", std::round(std::clamp(lost, 0.0, 12.0) * 2.0) / 2.0});
    p.effects.push_back(
        {EffectKind::spread, "spread of the strokes", "dB", tone.levelSpreadDb, spreadDb, {}});
    p.effects.push_back({EffectKind::punch,
                         "attack against body",
                         "dB",
                         tone.transientToBodyDb,
                         tone.transientToBodyDb + punchDb,
                         {}});
    return Pressed{std::move(p), -heard[levels.size() - 2].gainDb, -heard.back().gainDb};
}

// More attack where none is left, less ring where it runs into the drum's own next stroke.
std::optional<Proposal> shaping(const KitMeasurement& m, const Row& row, const DrumTone& tone) {
    constexpr double kNoAttackDb = 8.5, kFallenDb = 20.0, kHeavyBodyDb = -4.0;
    std::vector<double> gaps;
    double last = -1.0;
    for (const Stroke& s : m.strokes.strokes) {
        if (s.drum != tone.drum || s.kind == StrokeKind::flam) continue;
        if (last >= 0.0) gaps.push_back(s.time - last);
        last = s.time;
    }
    const double gap = median(gaps);
    const bool flat = tone.crestDb < kNoAttackDb;
    // A body that does not outweigh the attack may ring on: a roll is one sound.
    const bool rings = gap > 0.0 && tone.decayT60 > 0.0 && tone.transientToBodyDb < kHeavyBodyDb &&
                       60.0 * gap / tone.decayT60 < kFallenDb;
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
        p.reason = "Its peaks stand only " + numberText(tone.crestDb, 1) +
                   " dB over the average: a compressor has nothing to press, a shaper lifts the "
                   "first " +
                   numberText(p.moves[1].value, 0) + " ms by up to 4 dB. ";
    if (rings)
        p.reason += "It rings for " + numberText(1000.0 * tone.decayT60, 0) +
                    " ms while the next stroke usually comes after " + numberText(1000.0 * gap, 0) +
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
        if (tone == nullptr || peaks.size() < 6 || isMetal(drum)) continue;
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
        const std::string spread = "Its strokes spread by " + numberText(tone->levelSpreadDb, 1) +
                                   " dB. The attack is over after " +
                                   numberText(tone->transientMs, 0) + " ms";
        // `on`: the compressor it is for; usual ratios stand behind the first one's reason.
        const auto add = [&](Pressed pressed, const std::string& on, std::string reason) {
            Proposal& p = pressed.proposal;
            const Stage* there = findStage(row, on);
            if (there != nullptr && wouldOverwrite(*there, p.moves)) return;
            const bool first = on == stage->id;
            p.id = row.id + (first ? ".dynamics" : ".dynamics-2");
            p.stage = on;
            if (!first) {
                p.stageType = "compressor";
                p.behind = stage->id;
            }
            if (first)
                reason += " For drums at large: ratio 2 to 4 to control, 5 and over to shape.";
            p.reason = std::move(reason);
            out.push_back(std::move(p));
        };
        if (school == DynamicsSchool::pair) {
            // The first takes the tips only, the second leans on all of it.
            const PressPlan tips{"First of two: the loudest strokes caught",
                                 "two that share the work",
                                 6.0,
                                 3.0,
                                 1.0,
                                 std::min(release, 80.0),
                                 loud,
                                 3.0},
                lean{"Second of two: all strokes leant on",
                     "two that share the work",
                     2.5,
                     6.0,
                     slow,
                     release,
                     usual,
                     2.5};
            if (auto first = pressing(m, row, *tone, peaks, tips, usual, loud))
                add(*first, stage->id,
                    spread +
                        "; two compressors that do a little each are heard less than "
                        "one that does it all. This one, fast, takes " +
                        numberText(first->loudDb, 1) + " dB off the loudest and " +
                        numberText(first->usualDb, 1) + " dB off the usual strokes.");
            if (auto second = pressing(m, row, *tone, peaks, lean, usual, loud))
                add(*second, "compressor-2",
                    "Behind the fast one, slow: " + numberText(slow, 1) +
                        " ms let the attack through, then the body is pressed by about " +
                        numberText(second->usualDb, 1) + " dB; " + numberText(release, 0) +
                        " ms of release has recovered before the next stroke after " +
                        numberText(1000.0 * gap, 0) + " ms.");
            continue;
        }
        const bool punch = school == DynamicsSchool::punch;
        const double attack = punch ? slow : fast, ratio = punch ? 4.0 : 3.0;
        // The usual stroke is reduced by 3 dB, or by what the spread asks for.
        const double wanted = std::clamp(1.5 * tone->levelSpreadDb, 3.0, 6.0);
        const auto pressed = pressing(m, row, *tone, peaks,
                                      {punch ? "Compression for punch" : "Compression for density",
                                       punch ? "slow attack for punch" : "fast attack for density",
                                       ratio, 6.0, attack, release, usual, wanted},
                                      usual, loud);
        if (!pressed) continue;
        add(*pressed, stage->id,
            spread + ", so " + numberText(attack, 1) + " ms " +
                (punch ? "lets it through and presses the body" : "catches it") +
                "; the shortest gap is " + numberText(1000.0 * gap, 0) + " ms, so " +
                numberText(release, 0) +
                " ms of release has recovered before the next stroke. Usual strokes are pressed by "
                "up to " +
                numberText(pressed->usualDb, 1) + " dB, the loudest by " +
                numberText(pressed->loudDb, 1) + " dB.");
    }
    return out;
}

std::string whyNoCompression(const Session& session, const KitMeasurement& m, const Row& row) {
    const Stage* stage = findStage(row, "compressor");
    if (row.kind != RowKind::element || stage == nullptr) return {};
    if (stage->mark == Mark::decided)
        return stage->on ? "This step is decided: nothing is proposed over it."
                         : "It was decided to leave this step off.";
    const std::string drum = drumOfRow(session, row.id);
    if (drum.empty())
        return "It hears the whole kit: pressing it would press every drum for the loudest one. Do "
               "that on a bus, by ear.";
    if (isMetal(drum))
        return "Cymbals are left alone: what is pressed in them is the drums that bleed in.";
    const DrumTone* tone = firstToneIn(m, row, drum);
    if (tone == nullptr)
        return "Another microphone of this drum is its first; press that one, or their bus.";
    const std::vector<double> peaks = fullStrokes(m, row.id);
    if (peaks.size() < 6)
        return "Only " + std::to_string(peaks.size()) +
               (peaks.size() == 1 ? " full stroke was" : " full strokes were") +
               " heard: too few to judge how even they are.";
    const std::string spread = numberText(tone->levelSpreadDb, 1),
                      crest = numberText(tone->crestDb, 1);
    if (tone->levelSpreadDb <= kEvenDb)
        return "Its strokes lie within " + spread + " dB of each other (even up to " +
               numberText(kEvenDb, 0) + " dB): there is nothing to even out.";
    if (tone->crestDb < kFlatCrestDb)
        return "Its strokes spread by " + spread + " dB, but peaks stand only " + crest +
               " dB over the average (under " + numberText(kFlatCrestDb, 0) +
               " dB no attack is left to spare): pressed further it would lose its punch.";
    return "Its strokes spread by " + spread + " dB and peaks stand " + crest +
           " dB over the average, but no usual setting changes either by as much as can be heard.";
}

std::optional<std::vector<double>> shaperLike(const DrumTone& tone,
                                              std::span<const double> compressor) {
    constexpr double kWithinDb = 0.25;
    if (tone.typical.empty()) return std::nullopt;
    const double wanted = changeThrough(tone, "compressor", compressor).transientToBodyDb;
    const ParameterTable table = processorType("transient").table;
    const auto at = [&](const char* id) {
        return static_cast<std::size_t>(parameterIndex(table, id));
    };
    std::vector<double> values = standardValues(table);
    values[at("attack-time")] = std::clamp(tone.transientMs, 5.0, 40.0);
    // More attack and less sustain raise it together; half of it each.
    const auto changed = [&](double amount) {
        values[at("attack")] = amount;
        values[at("sustain")] = -amount;
        return changeThrough(tone, "transient", values).transientToBodyDb;
    };
    double low = std::max(table[at("attack")].minimum, -table[at("sustain")].maximum),
           high = std::min(table[at("attack")].maximum, -table[at("sustain")].minimum);
    if (changed(low) > wanted + kWithinDb || changed(high) < wanted - kWithinDb)
        return std::nullopt;
    for (int step = 0; step < 24; ++step) {
        const double middle = 0.5 * (low + high);
        (changed(middle) < wanted ? low : high) = middle;
    }
    const double reached = changed(std::round(10.0 * low) / 10.0);
    if (std::abs(reached - wanted) > kWithinDb) return std::nullopt;
    return values;
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
            !hasNote(drum))
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
        const double top = drum == "kick" ? 20000.0 : 8000.0;
        p.moves = {
            {"drive", std::round(drive * 2.0) / 2.0}, {"curve", 2.0}, {"to", top}, {"mix", 50.0}};
        p.title = "Tape colour, half mixed in";
        p.school = "coloured";
        p.reason = "Peaks stand " + numberText(tone->crestDb, 1) +
                   " dB above the average: " + numberText(drive, 1) +
                   " dB of drive bends the tips of the usual strokes by about 3 dB; "
                   "at half mix the attack keeps its edge" +
                   (top < 20000.0 ? ", and above " + hertzText(top) +
                                        " nothing is bent, so that bleeding cymbals stay clean."
                                  : std::string("."));
        const Change change = changeThrough(*tone, "saturation", withMoves("saturation", p.moves));
        p.effects.push_back(
            {EffectKind::crest, "crest", "dB", tone->crestDb, tone->crestDb + change.crestDb, {}});
        p.effects.push_back({EffectKind::punch,
                             "attack against body",
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
