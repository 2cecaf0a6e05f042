// Advice is an edit with a reason: what to move, why, what it will do, and afterwards what it did.
#pragma once

#include "core/measure/kit_measure.h"
#include "core/session/session.h"

#include <optional>
#include <string>
#include <vector>

namespace ember {

struct ParameterMove {
    std::string parameter;  // id in the stage's table
    double value = 0.0;
    bool operator==(const ParameterMove&) const = default;
};

// One number the proposal is about.
struct Effect {
    std::string what;  // "ghost notes kept", "bleed between strokes"
    std::string unit;  // "dB", "%"
    std::optional<double> before, predicted, measured;
    double fromHertz = 0.0, toHertz = 0.0;  // what is a level of a band: its edges; else 0
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
    std::vector<Effect> effects;
    std::vector<double> evidence;  // seconds of the strokes it was read from
    double confidence = 0.0;       // 0..1
    bool operator==(const Proposal&) const = default;
};

// Two ways of aligning: everything to the overheads, or only the microphones of one drum to each
// other.
enum class AlignSchool { withinDrum, toOverheads };
// A gate opened by the strokes themselves, or by a level; the level gate says when it must lose
// some.
enum class GateSchool { byStrokes, byLevel };
// What the compressor hears: a drum that is cleaned already, or the drum as it was played.
enum class EqSchool { first, later };
// Slow attack that lets the stick through, a fast one that catches it, or two in series that share
// the work.
enum class DynamicsSchool { punch, density, pair };
// As recorded, or bent a little.
enum class ColourSchool { clean, coloured };

struct Advice {
    AlignSchool align = AlignSchool::withinDrum;
    GateSchool gate = GateSchool::byStrokes;
    EqSchool eq = EqSchool::first;
    DynamicsSchool dynamics = DynamicsSchool::punch;
    ColourSchool colour = ColourSchool::clean;
};

// Everything that is proposed for a session, in order of the work; declined ones are left out, and
// so is whatever rests on a row of which nobody is sure (isUnsure()). Pure.
std::vector<Proposal> advise(const Session& session, const KitMeasurement& measured,
                             const Advice& how = {});
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
std::vector<Proposal> adviseColour(const Session& session, const KitMeasurement& measured,
                                   ColourSchool school);
// Rough level and place of every element whose seat nobody has decided yet.
std::vector<Proposal> adviseSeat(const Session& session, const KitMeasurement& measured);

// The targets that hold where a session has none of its own; the one for a row (null: none), and
// what it says in words.
const std::vector<LevelTarget>& usualTargets();
const LevelTarget* targetFor(const Session& session, const Row& row);
std::string targetText(const LevelTarget& target);

// The steps that are advised on, in order of the work: align, gate, repair, dynamics, colour, seat.
const std::vector<std::string>& advisedSteps();

// The ordinary edit a proposal is; strokes are put into the session where a gate opens by them.
// Throws Error when the row or stage is gone.
Session accept(Session session, const Proposal& proposal, const KitStrokes& strokes);

// Fills `measured` of every effect from the recordings as the accepted session plays them. Throws
// Error or Cancelled. Any thread.
void measureEffects(Proposal& proposal, const Session& accepted, const KitMeasurement& measured,
                    AudioStore& store, const Progress& progress = {});

}  // namespace ember
