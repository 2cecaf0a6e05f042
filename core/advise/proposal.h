// Ways is an edit with a reason: what to move, why, what it will do, and afterwards what it did.
#pragma once

#include "core/measure/kit/kit_measure.h"
#include "core/session/document.h"

#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace ember {

struct ParameterMove {
    std::string parameter;  // id in the stage's table
    double value = 0.0;
    bool operator==(const ParameterMove&) const = default;
};

// What an effect is a figure of: it says how it is measured once the proposal is accepted.
enum class EffectKind {
    band,        // a level within fromHertz..toHertz over the strokes
    ring,        // of the ring at fromHertz, well after the strokes
    sum,         // of two microphones in mainHertz's octave
    sides,       // correlation of left and right
    ghosts,      // share of ghost notes kept
    neighbours,  // share of neighbours' strokes that open it; foretold only
    bleed,       // between the strokes
    wires,       // buzz of the wires that remains
    spread,      // of the strokes' levels
    punch,       // attack against body
    crest,       // peaks over the average
    note,        // Hz
    level,       // where the row leaves its seat
    sideBand,    // of a bus: sides against the middle within fromHertz..toHertz
    blend,       // of a bus: its loudness; of one beside the mix: against the drums
    mono,        // of the drums, with the bus beside them that it is about: lost on one loudspeaker
    under,       // others while its own drum sounds, against it
    cover,       // what is left of the others against the other microphones
    standOut,    // its quiet strokes against what sounds before them
    cymbals,     // their loudness in the whole mix
    together,    // a drum in all microphones, summed to mono
    part         // a drum against everything else in a microphone
};

// One number the proposal is about.
struct Effect {
    EffectKind kind = EffectKind::band;
    std::string what;  // "ghost notes kept", "bleed between strokes"
    std::string unit;  // "dB", "%"
    std::optional<double> before, predicted, measured;
    double fromHertz = 0.0,
           toHertz = 0.0;   // what is a level of a band: its edges; a ring: where; else 0
    std::string drum = {};  // what is of one drum: its id
    bool operator==(const Effect&) const = default;
};

struct Proposal {
    std::string id;     // stable: "snare-top.gate"
    std::string step;   // "align", "gate", "repair"
    std::string row;    // row id
    std::string stage;  // stage id in its chain
    std::string
        stageType;     // where the chain has no such stage yet: the processor to add; else empty
    std::string drum;  // whose strokes it was read from
    std::string before, behind;  // stages of its chain it has to stand before or behind
    std::string against;         // the row it is brought together with (align)
    double mainHertz = 0.0;      // the octave in which that is judged (align)
    std::string title;           // "Gate by strokes"
    std::string reason;
    std::string school;
    std::vector<ParameterMove> moves;  // the stage is switched on with them
    std::string feeds;  // the bus its row is to feed instead; empty: it stays where it is
    std::string
        readyBus;  // a bus to be made beside the mix (ready_bus.h); the moves are its seat's
    std::map<std::string, double> turned;  // drums of its bleed step, dB
    std::string model;                     // what that plays by, where the session has none yet
    std::vector<Effect> effects;
    std::vector<double> evidence;  // seconds of the strokes it was read from
    double confidence = 0.0;       // 0..1
    bool operator==(const Proposal&) const = default;
};

// Why its edits are made, for the logbook.
Why whyOf(const Proposal& proposal);

// Everything that is proposed for a session's rows, in order of the work; declined ones are left
// out, and so is whatever rests on a row of which nobody is sure (isUnsure()). Pure.
std::vector<Proposal> advise(const Session& session, const KitMeasurement& measured,
                             const Ways& how = {});
std::vector<Proposal> adviseAlign(const Session& session, const KitMeasurement& measured,
                                  AlignSchool school);
std::vector<Proposal> adviseGate(const Session& session, const KitMeasurement& measured,
                                 GateSchool school);
// High-pass, rings, and what lies above the drum.
std::vector<Proposal> adviseRepair(const Session& session, const KitMeasurement& measured,
                                   EqSchool school = EqSchool::first);
// Low mids that stand out, and to each of a drum's two microphones what it hears better.
std::vector<Proposal> adviseBalance(const Session& session, const KitMeasurement& measured);
// What heavy cutting took from the drum's own note, or bending from its attack, in part given back.
std::vector<Proposal> adviseGiveBack(const Session& session, const KitMeasurement& measured);
// Drums whose note lies off the one that is wanted of them.
std::vector<Proposal> adviseTune(const Session& session, const KitMeasurement& measured);
// Compression only for drums whose strokes are uneven and whose attack can spare it; what is even
// already gets none. A transient shaper where a drum has no attack left, or rings into its own next
// stroke.
std::vector<Proposal> adviseDynamics(const Session& session, const KitMeasurement& measured,
                                     DynamicsSchool school);
// Why a row gets no compression: one sentence with its spread, its crest and the limits; empty
// where it gets some, or has no compressor.
std::string whyNoCompression(const Session& session, const KitMeasurement& measured,
                             const Row& row);
// A transient shaper that changes attack against body as a compressor with these values does, on
// the drum's typical strokes; values of a shaper, nothing where it cannot within its range. Pure.
std::optional<std::vector<double>> shaperLike(const DrumTone& tone,
                                              std::span<const double> compressor);
std::vector<Proposal> adviseColour(const Session& session, const KitMeasurement& measured,
                                   ColourSchool school);
// Rough level and place of every element whose seat nobody has decided yet.
std::vector<Proposal> adviseSeat(const Session& session, const KitMeasurement& measured);

// The targets that hold where a session has none of its own; the one for a row (null: none), and
// what it says in words.
const std::vector<LevelTarget>& usualTargets();
const LevelTarget* targetFor(const Session& session, const Row& row);
std::string targetText(const LevelTarget& target);

// The steps that are advised on, in order of the work: align, bleed (core/advise/bleed.h), gate,
// repair, dynamics, colour, seat, bus (core/advise/bus.h).
const std::vector<std::string>& advisedSteps();

// Whether somebody said that it should not be proposed again. Pure.
bool isDeclined(const Session& session, const Proposal& proposal);

// The ordinary edit a proposal is; strokes are put into the session where a gate opens by them.
// Throws Error when the row or stage is gone.
Session accept(Session session, const Proposal& proposal, const KitStrokes& strokes);

// Whether a session has what a proposal moves, decided and where it belongs. Pure.
bool isAccepted(const Session& session, const Proposal& proposal);

// Fills `measured` of every effect from the recordings as the accepted session plays them, of
// proposals that are neither for buses nor for bleed. Throws Error or Cancelled. Any thread.
void measureEffects(Proposal& proposal, const Session& accepted, const KitMeasurement& measured,
                    AudioStore& store, const Progress& progress = {});

}  // namespace ember
