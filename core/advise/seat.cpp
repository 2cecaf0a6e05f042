#include "core/dsp/seat.h"

#include "core/advise/common.h"
#include "core/base/number.h"
#include "core/base/statistics.h"
#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kSecondMicDb = -5.0;  // what stands beside a drum's first microphone
constexpr double kCentre = 0.12;       // a pan nearer to the middle than this is the middle
constexpr double kWorthDb = 1.0, kWorthPan = 0.05;

std::string decibels(double db) {
    return changeText(db, 1) + " dB";
}

std::string panText(double pan) {
    if (std::abs(pan) < 0.005) return "middle";
    return numberText(100.0 * std::abs(pan), 0) + (pan < 0.0 ? " % left" : " % right");
}

// What the target is about, as the recording holds it: a peak in dBFS or an average in LUFS.
std::optional<double> recorded(const LevelTarget& target, const Row& row, const KitMeasurement& m) {
    if (!target.peak) {
        for (const SignalLevels& l : m.levels) {
            if (l.row == row.id && l.integrated > -100.0) return l.integrated;
        }
        return std::nullopt;
    }
    for (const Separation& s : m.separation) {
        if (s.mic != row.id || s.ownDb.empty()) continue;
        return quantile(s.ownDb, target.strokes == TargetStrokes::loudest ? 0.95 : 0.5);
    }
    return std::nullopt;
}

// The louder side's gain of a pan, dB.
double panGainDb(const Row& row, double pan) {
    const PanGains g = channelCount(row) == 1 ? panMono(pan) : panStereo(pan);
    return dbFromGain(std::max(g.left, g.right));
}

double proposedPan(const Row& row, const std::string& drum, const KitMeasurement& m,
                   std::string& why) {
    if (channelCount(row) == 2) return 0.0;
    if (drum == "kick" || drum == "snare") {
        why = " Kick and snare stay in the middle.";
        return 0.0;
    }
    for (const DrumImage& image : m.image) {
        if (image.drum != drum) continue;
        const double pan =
            std::abs(image.pan) < kCentre ? 0.0 : std::round(image.pan * 20.0) / 20.0;
        why = " The overheads hear it at " + panText(pan) + " on " + std::to_string(image.strokes) +
              " strokes.";
        return std::clamp(pan, -1.0, 1.0);
    }
    return 0.0;
}

constexpr double kMostFaderDb = 12.0;

}  // namespace

const std::vector<LevelTarget>& usualTargets() {
    // Faders low enough that the whole kit leaves several dB at the main; hats and rooms are heard
    // as an average, drums by their loudest strokes.
    static const std::vector<LevelTarget> targets{
        {"kick", true, TargetStrokes::loudest, -14.0},
        {"snare", true, TargetStrokes::loudest, -14.0},
        {"tom", true, TargetStrokes::loudest, -14.0},
        {"hihat", true, TargetStrokes::usual, -28.0},
        {"cymbal", true, TargetStrokes::usual, -28.0},
        {"percussion", true, TargetStrokes::loudest, -20.0},
        {"overhead", false, TargetStrokes::all, -32.0},
        {"room", false, TargetStrokes::all, -36.0},
        {"kit", false, TargetStrokes::all, -24.0}};
    return targets;
}

const LevelTarget* targetFor(const Session& session, const Row& row) {
    const std::string drum = drumOfRow(session, row.id);
    std::string what = isTom(drum)    ? "tom"
                       : drum.empty() ? std::string(toString(row.role))
                                      : drumKindIn(session, drum);
    for (const auto* list : {&session.targets, &usualTargets()}) {
        for (const LevelTarget& t : *list) {
            if (t.what == what) return &t;
        }
    }
    return nullptr;
}

std::string targetText(const LevelTarget& t) {
    const std::string what = !t.peak                               ? "average loudness"
                             : t.strokes == TargetStrokes::loudest ? "peak of the loudest strokes"
                                                                   : "peak of the usual strokes";
    return what + " at " + numberText(t.db, 0) + (t.peak ? " dBFS" : " LUFS");
}

std::vector<Proposal> adviseSeat(const Session& session, const KitMeasurement& m) {
    std::vector<Proposal> out;
    for (const Row& row : session.rows) {
        const Stage* seat = findStage(row, "seat");
        if (row.kind != RowKind::element || seat == nullptr || seat->mark == Mark::decided)
            continue;  // a level that a person has set is theirs
        const LevelTarget* target = targetFor(session, row);
        if (target == nullptr) continue;
        const auto level = recorded(*target, row, m);
        if (!level) continue;
        const std::string drum = drumOfRow(session, row.id);
        bool second = false;  // another microphone of the same drum comes first
        for (const Row& other : session.rows) {
            if (other.id == row.id) break;
            second = second || (!drum.empty() && drumOfRow(session, other.id) == drum);
        }
        Proposal p;
        p.id = row.id + ".seat";
        p.step = "seat";
        p.row = row.id;
        p.stage = "seat";
        p.drum = drum;
        std::string why;
        const double pan = proposedPan(row, drum, m, why),
                     aim = target->db + (second ? kSecondMicDb : 0.0),
                     fader = std::round(std::clamp(aim - *level - panGainDb(row, pan), -60.0,
                                                   kMostFaderDb) *
                                        2.0) /
                             2.0;
        const double now =
            *level + seat->values[Seat::level] + panGainDb(row, seat->values[Seat::pan] / 100.0);
        if (std::abs(now - aim) < kWorthDb &&
            std::abs(100.0 * pan - seat->values[Seat::pan]) < 100.0 * kWorthPan)
            continue;
        p.moves = {{"level", fader}, {"pan", 100.0 * pan}};
        p.title = "Level " + decibels(fader) + (channelCount(row) == 1 ? ", " + panText(pan) : "");
        p.school = "rough balance first";
        p.reason = "Target: " + targetText(*target) +
                   (second ? ", this microphone 5 dB under the drum's first" : "") +
                   "; recorded it is " + decibels(*level) + ". Faders of bus and main come after." +
                   (fader >= kMostFaderDb ? " That is as far as the fader goes." : "") + why;
        p.effects.push_back({EffectKind::level,
                             target->peak ? (target->strokes == TargetStrokes::loudest
                                                 ? "peak of the loudest strokes"
                                                 : "peak of the usual strokes")
                                          : "average loudness",
                             target->peak ? "dBFS" : "LUFS",
                             now,
                             *level + fader + panGainDb(row, pan),
                             {}});
        p.evidence = evidenceOf(m, drum, false);
        p.confidence = 0.6;
        out.push_back(std::move(p));
    }
    return out;
}

}  // namespace ember
