#include "core/advise/common.h"
#include "core/base/number.h"
#include "core/base/statistics.h"
#include "core/dsp/key_filter.h"
#include "core/measure/strokes/stroke_figures.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr int kFew = 6;  // strokes from which little can be said
constexpr double kFloorDb = -20.0;
constexpr double kHatFloorDb = -12.0;  // where the hi-hat is heard in this microphone first
constexpr double kHatLoudDb = -20.0;   // against the microphone's loudest drum
constexpr double kWiresDb = -32.0;     // against the snare: how much wire buzz is kept
constexpr double kKeep = 0.97;         // of the ghost notes
constexpr double kUnderDb =
    2.0;  // the threshold lies this far under the weakest stroke that counts
constexpr double kFollowed = 0.3;  // of the strokes
constexpr double kFewOpen = 0.01;  // of the neighbours' energy: less hardly opens it
constexpr double kAboveDb = 1.5;   // and at least this far above the bleed

// Neighbours that are this much softer than the drum itself need no gate: what comes after it may
// lift them by 10 dB and they still lie under the drum's ring.
constexpr double kQuietDb = -22.0;

bool neighboursHeard(const KitMeasurement& m, const std::string& row, const std::string& drum) {
    return std::any_of(m.bleed.begin(), m.bleed.end(), [&](const BleedLevel& b) {
        return b.mic == row && b.drum != drum && b.relativeDb > kQuietDb;
    });
}

double shareAbove(const std::vector<double>& levels, double threshold) {
    if (levels.empty()) return 1.0;
    const auto n =
        std::count_if(levels.begin(), levels.end(), [&](double v) { return v >= threshold; });
    return static_cast<double>(n) / static_cast<double>(levels.size());
}

// The share of a drum's strokes whose next one comes before the figures of the first are read.
double followedAtOnce(const KitMeasurement& m, const std::string& drum) {
    double last = -10.0;
    int all = 0, soon = 0;
    for (const Stroke& s : m.strokes.strokes) {
        if (s.drum != drum) continue;
        ++all;
        soon += s.time - last < kStrokeSeconds ? 1 : 0;
        last = s.time;
    }
    return all > 0 ? static_cast<double>(soon) / all : 1.0;
}

// The part of the energy of strokes at these levels that lies at or above a threshold.
double energyAbove(const std::vector<double>& levelsDb, double threshold) {
    double above = 0.0, all = 1e-20;
    for (const double db : levelsDb) {
        const double energy = std::pow(10.0, db / 10.0);
        all += energy;
        if (db >= threshold) above += energy;
    }
    return above / all;
}

// Whether nothing could be told of how long the drum sounds.
bool lengthUnread(const DrumTone* tone) {
    return tone == nullptr || (tone->decayT60 <= 0.0 && tone->bodySeconds <= 0.0);
}

// How long the drum speaks: until its note has lost 20 dB and nearly all of its energy has sounded.
// Where neither could be read, as long as such drums do: a gate that closes late harms less than
// one that cuts the body off.
double speakMs(const DrumTone* tone, const std::string& drum) {
    const double usual =
        isTom(drum) ? 900.0 : (drumFamily(drum) == DrumFamily::kick ? 400.0 : 300.0);
    if (lengthUnread(tone)) return usual;
    // A decay alone may be that of one band only.
    const double note = tone->decayT60 / 3.0 * 1000.0, body = tone->bodySeconds * 1000.0;
    return std::clamp(std::max(note, body > 0.0 ? body : std::min(usual, 1.5 * note)), 60.0, 900.0);
}

// What few strokes or an unread decay leave uncertain, in a sentence; empty when nothing.
std::string doubts(int strokes, const DrumTone* tone) {
    std::string out;
    if (strokes < kFew)
        out += " Only " + std::to_string(strokes) +
               (strokes == 1 ? " stroke was" : " strokes were") + " heard, so this is unsure.";
    if (lengthUnread(tone))
        out += " Its decay could not be read; the gate stays open as long as such drums sound.";
    return out;
}

bool wantsGate(Role role) {
    switch (role) {
        case Role::kickIn:
        case Role::kickOut:
        case Role::kick:
        case Role::snareTop:
        case Role::snareBottom:
        case Role::snare:
        case Role::rackTom:
        case Role::floorTom:
        case Role::tom:
            return true;
        default:
            return false;  // cymbals live from what is between the strokes
    }
}

// What sets off the wires most in this microphone; null when nothing does.
const Sympathy* wiresIn(const KitMeasurement& m, const std::string& mic) {
    const Sympathy* most = nullptr;
    for (const Sympathy& s : m.sympathy) {
        if (s.wires && s.mic == mic && (most == nullptr || s.relativeDb > most->relativeDb))
            most = &s;
    }
    return most;
}

// Wires that answer softly are part of the kit; the louder they answer the less of them is kept.
double wireFloor(const Sympathy& wires) {
    return std::clamp(kWiresDb - wires.relativeDb, -24.0, -14.0);
}

// Whether the kit's hi-hat has no microphone of its own and bleeds loudly into this one.
bool hatBleedsOnlyHere(const Session& session, const KitMeasurement& m, const Row& row) {
    const bool miked = std::any_of(session.rows.begin(), session.rows.end(),
                                   [](const Row& r) { return r.role == Role::hat; });
    return !miked && std::any_of(m.bleed.begin(), m.bleed.end(), [&](const BleedLevel& b) {
        return b.mic == row.id && b.drum == "hihat" && b.relativeDb > kHatLoudDb;
    });
}

}  // namespace

std::vector<Proposal> adviseGate(const Session& session, const KitMeasurement& m,
                                 GateSchool school) {
    std::vector<Proposal> out;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::element || !wantsGate(row.role) ||
            findStage(row, "gate") == nullptr)
            continue;
        const std::string drum = drumOfRow(session, row.id);
        // The plain detector first, then the one with the best key filter.
        const Separation* heard = nullptr;
        for (const Separation& s : m.separation) {
            if (s.mic == row.id) heard = &s;
        }
        if (heard == nullptr || heard->bleedDb.empty() || !neighboursHeard(m, row.id, drum))
            continue;
        const auto tone = std::find_if(m.tone.begin(), m.tone.end(),
                                       [&](const DrumTone& t) { return t.drum == drum; });
        const DrumTone* decays = tone == m.tone.end() ? nullptr : &*tone;
        const double speak = speakMs(decays, drum);
        int ghosts = 0, strokes = 0;
        for (const Stroke& s : m.strokes.strokes) {
            if (s.drum != drum) continue;
            ++strokes;
            ghosts += s.kind == StrokeKind::ghost ? 1 : 0;
        }
        Proposal p;
        p.id = row.id + ".gate";
        p.step = "gate";
        p.row = row.id;
        p.stage = "gate";
        p.drum = drum;
        p.evidence = evidenceOf(m, drum, false);
        const double bleedTop = quantile(heard->bleedDb, 0.95),
                     ownLow = quantile(heard->ownDb, 1.0 - kKeep);
        const bool apart = ownLow - kUnderDb >= bleedTop + kAboveDb;
        const Sympathy* wires = row.role == Role::snareBottom ? wiresIn(m, row.id) : nullptr;
        const bool hatHere = hatBleedsOnlyHere(session, m, row);
        const double floor = wires != nullptr ? wireFloor(*wires)
                             : hatHere        ? kHatFloorDb
                                              : kFloorDb;
        p.moves = {{"floor", floor}, {"release", std::clamp(speak, 40.0, 500.0)}, {"attack", 0.5}};
        double left = floor;  // of the bleed, dB
        if (school == GateSchool::byStrokes) {
            p.title = "Gate opened by strokes";
            p.school = "bleed low, ghosts kept";
            p.moves.push_back({"key-source", 1.0});
            p.moves.push_back({"stroke-early", 5.0});
            p.moves.push_back({"stroke-length", speak});
            const double kept =
                ghosts > 0 ? shareAbove(heard->ghostDb, std::max(bleedTop, -80.0)) : 1.0;
            p.reason =
                std::to_string(strokes) + " strokes" +
                (ghosts > 0 ? ", " + std::to_string(ghosts) + " of them ghosts. " : ". ") +
                (apart
                     ? "A level would tell them from the bleed as well; strokes need no threshold."
                 : ghosts == 0
                     ? std::string("A level low enough for its quiet strokes would let "
                                   "neighbours open it; strokes do not.")
                     : "A level above the bleed would keep only " + numberText(100.0 * kept, 0) +
                           " % of the ghosts; strokes keep them all.");
            if (ghosts > 0)
                p.effects.push_back(
                    {EffectKind::ghosts, "ghost notes kept", "%", 100.0, 100.0, {}});
            p.confidence = 0.9;
        } else {
            const double threshold = apart ? 0.5 * (ownLow + bleedTop) : ownLow - kUnderDb;
            p.title = "Gate opened by level";
            p.school = "bleed low, by level";
            p.moves.push_back({"key-source", 0.0});
            p.moves.push_back({"threshold", std::clamp(threshold, -80.0, 0.0)});
            p.moves.push_back({"hysteresis", 6.0});
            p.moves.push_back({"hold", std::clamp(0.4 * speak, 10.0, 400.0)});
            p.moves.push_back({"key-high-pass", heard->highPass});
            p.moves.push_back({"key-low-pass", heard->lowPass});
            const double kept = 100.0 * shareAbove(heard->ghostDb, threshold),
                         opened = 100.0 * shareAbove(heard->bleedDb, threshold);
            p.reason =
                apart ? "The weakest strokes stand " + numberText(ownLow - bleedTop, 0) +
                            " dB above the neighbours in the detector; the threshold lies between."
                      : "Strokes and bleed overlap in level: to keep the ghosts, " +
                            numberText(opened, 0) +
                            " % of the neighbours' strokes open it too. Strokes as key would avoid "
                            "that.";
            if (ghosts > 0)
                p.effects.push_back({EffectKind::ghosts, "ghost notes kept", "%", 100.0, kept, {}});
            p.effects.push_back({EffectKind::neighbours,
                                 "neighbours' strokes that open it",
                                 "%",
                                 100.0,
                                 opened,
                                 {}});
            // The strokes that open it come through whole.
            const double share = opened / 100.0;
            left = 10.0 * std::log10(share + (1.0 - share) * std::pow(10.0, floor / 10.0));
            p.confidence = apart ? 0.9 : 0.5;
            // They are the loud ones: how much of the bleed they are depends on when they come.
            if (energyAbove(heard->bleedDb, threshold) > kFewOpen) {
                p.confidence = std::min(p.confidence, 0.5);
                p.reason += " How long those hold it open is unsure.";
            }
        }
        if (const std::string doubt = doubts(strokes, decays); !doubt.empty()) {
            p.reason += doubt;
            p.confidence = std::min(p.confidence, 0.5);
        }
        p.effects.push_back({EffectKind::bleed, "bleed between strokes", "dB", 0.0, left, {}});
        // Strokes that follow at once keep it open: then nothing is foretold of their bodies.
        if (const DrumTone* own = toneIn(m, row.id, drum);
            own != nullptr && followedAtOnce(m, drum) < kFollowed) {
            if (auto punch = punchEffect(*own, "gate", p.moves)) p.effects.push_back(*punch);
        }
        if (hatHere && wires == nullptr)
            p.reason +=
                " The hi-hat has no microphone of its own and is loud in here: a floor of " +
                numberText(kHatFloorDb, 0) + " dB keeps it from jumping with every stroke.";
        if (wires != nullptr) {
            p.title += ", some wire buzz kept";
            p.reason += " The " + drumName(session, wires->struck) + " sets off the wires at " +
                        numberText(-wires->relativeDb, 0) +
                        " dB under the snare itself; the floor leaves them at " +
                        numberText(-wires->relativeDb - floor, 0) +
                        " dB under it, so that the kit still breathes.";
            p.effects.push_back({EffectKind::wires,
                                 "wire buzz",
                                 "dB",
                                 wires->relativeDb,
                                 wires->relativeDb + floor,
                                 {}});
        }
        out.push_back(std::move(p));
    }
    return out;
}

}  // namespace ember
