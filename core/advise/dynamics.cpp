// Whether a drum wants compression, and with what settings; and how much colour it can carry.

#include "core/advise/proposal.h"
#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/dsp/compressor.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace ember {
namespace {

// Strokes that already lie this close together need no evening out; a crest under this has no
// attack left to spare.
constexpr double kEvenDb = 1.5, kFlatCrestDb = 11.0;

std::string fixed(double value, int digits) {
    char text[32];
    std::snprintf(text, sizeof text, "%.*f", digits, value);
    return text;
}

const DrumTone* toneIn(const KitMeasurement& m, const Row& row, const std::string& drum) {
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

std::vector<double> timesOf(const KitMeasurement& m, const std::string& drum) {
    std::vector<double> out;
    for (const Stroke& s : m.strokes.strokes) {
        if (s.drum == drum && s.kind != StrokeKind::ghost && out.size() < 48) out.push_back(s.time);
    }
    return out;
}

}  // namespace

std::vector<Proposal> adviseDynamics(const Session& session, const KitMeasurement& m,
                                     DynamicsSchool school) {
    std::vector<Proposal> out;
    for (const Row& row : session.rows) {
        const Stage* stage = findStage(row, "compressor");
        if (row.kind != RowKind::element || stage == nullptr) continue;
        const std::string drum = drumOfRow(session, row.id);
        const DrumTone* tone = toneIn(m, row, drum);
        const std::vector<double> peaks = fullStrokes(m, row.id);
        if (tone == nullptr || peaks.size() < 6 || drum == "hihat" || drum == "cymbal") continue;
        const bool uneven = tone->levelSpreadDb > kEvenDb;
        if (!uneven || tone->crestDb < kFlatCrestDb) continue;  // not called for
        Proposal p;
        p.id = row.id + ".dynamics";
        p.step = "dynamics";
        p.row = row.id;
        p.stage = stage->id;
        p.drum = drum;
        p.evidence = timesOf(m, drum);
        const bool punch = school == DynamicsSchool::punch;
        // Punch: the attack passes whole before the reduction arrives. Density: it is caught.
        const double attack = std::clamp(punch ? 1.2 * tone->transientMs : 0.1 * tone->transientMs,
                                         punch ? 8.0 : 0.5, 50.0);
        const double gap = tone->shortestGap > 0.0 ? tone->shortestGap : 0.3;
        // Three time constants give back 95 %: that is when it has recovered.
        const double release = std::clamp(1000.0 * gap / 3.0, 30.0, 300.0);
        const double ratio = punch ? 4.0 : 3.0;
        const double usual = quantile(peaks, 0.5), loud = quantile(peaks, 0.95);
        // The usual stroke is reduced by 3 dB, or by what the spread asks for.
        const double wanted = std::clamp(1.5 * tone->levelSpreadDb, 3.0, 6.0);
        const double threshold = std::clamp(usual - wanted / (1.0 - 1.0 / ratio), -60.0, -1.0);
        const double most = -compressorCurve(loud, threshold, ratio, 6.0, 60.0),
                     some = -compressorCurve(usual, threshold, ratio, 6.0, 60.0);
        p.moves = {{"threshold", std::round(threshold * 2.0) / 2.0},
                   {"ratio", ratio},
                   {"knee", 6.0},
                   {"attack", std::round(attack * 10.0) / 10.0},
                   {"release", std::round(release)},
                   {"key-high-pass", drum == "kick" ? 10.0 : 80.0},
                   {"make-up", std::round(0.5 * some * 2.0) / 2.0}};
        p.title = punch ? "Compression for punch" : "Compression for density";
        p.school = punch ? "slow attack for punch" : "fast attack for density";
        p.reason =
            "Its strokes spread by " + fixed(tone->levelSpreadDb, 1) +
            " dB. The attack is over after " + fixed(tone->transientMs, 0) + " ms, so " +
            fixed(attack, 1) + " ms " +
            (punch ? "lets it through and presses the body" : "catches it") +
            "; the shortest gap is " + fixed(1000.0 * gap, 0) + " ms, so " + fixed(release, 0) +
            " ms of release has recovered before the next stroke. Usual " +
            "strokes are pressed by up to " + fixed(some, 1) + " dB, the loudest by " +
            fixed(most, 1) + " dB. Usual for drums: ratio 2 to 4 to control, 5 and over to shape.";
        // The peak passes before a slow attack arrives, and most of it before a fast one does: what
        // a stroke is measured by changes little, its body more.
        p.effects.push_back({"spread of the strokes",
                             "dB",
                             tone->levelSpreadDb,
                             punch ? tone->levelSpreadDb : 0.93 * tone->levelSpreadDb,
                             {}});
        p.effects.push_back({"attack against body",
                             "dB",
                             tone->transientToBodyDb,
                             tone->transientToBodyDb - (punch ? 0.0 : 0.1 * some),
                             {}});
        p.confidence = 0.6;
        if (stage->mark == Mark::decided) {
            const ParameterTable table = processorType(stage->type).table;
            const bool same =
                std::all_of(p.moves.begin(), p.moves.end(), [&](const ParameterMove& v) {
                    return std::abs(stage->values[static_cast<std::size_t>(
                                        parameterIndex(table, v.parameter))] -
                                    v.value) < 1e-9;
                });
            if (!same) continue;  // what a person set stays theirs
        }
        out.push_back(std::move(p));
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
        const DrumTone* tone = toneIn(m, row, drum);
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
        p.evidence = timesOf(m, drum);
        // Usual strokes reach the bend by 3 dB.
        const double drive = std::clamp(3.0 - quantile(peaks, 0.5), 0.0, 18.0);
        p.moves = {{"drive", std::round(drive * 2.0) / 2.0},
                   {"curve", 2.0},
                   {"to", drum == "kick" ? 20000.0 : 8000.0},
                   {"mix", 50.0}};
        p.title = "Tape colour, half mixed in";
        p.school = "coloured";
        p.reason =
            "Peaks stand " + fixed(tone->crestDb, 1) + " dB above the average: " + fixed(drive, 1) +
            " dB of drive bends the tips of the usual strokes by about 3 dB; "
            "at half mix the attack keeps its edge, and above 8 kHz nothing is bent, so that "
            "bleeding cymbals stay clean.";
        p.effects.push_back({"crest", "dB", tone->crestDb, tone->crestDb - 1.0, {}});
        p.confidence = 0.4;
        out.push_back(std::move(p));
    }
    return out;
}

}  // namespace ember
