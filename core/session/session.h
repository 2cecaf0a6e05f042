// The session: everything a person decided, as one plain value.
//
// Copying, comparing and keeping old ones is cheap and safe; no device, engine or
// window state lives here. Times are in seconds of song time unless named otherwise.
#pragma once

#include "core/base/units.h"
#include "core/dsp/processor.h"
#include "core/session/curve.h"
#include "core/session/drum.h"
#include "core/session/layer.h"
#include "core/session/pattern.h"
#include "core/session/print.h"
#include "core/session/source.h"
#include "core/session/stroke.h"
#include "core/session/time_map.h"
#include "core/session/ways.h"

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

enum class RowKind { element, guest, reference, bus, main };

// What an element is in the kit; decides its group and its usual settings.
enum class Role {
    unknown,
    kickIn,
    kickOut,
    kick,
    snareTop,
    snareBottom,
    snare,
    hat,
    rackTom,
    floorTom,
    tom,
    ride,
    crash,
    overhead,
    room,
    percussion,
    kit,
    sample,   // a sound that is put under a drum
    loop,     // a loop or break
    trigger,  // a contact on a drum: its strokes, not its sound
    bass,
    reference,
};

// How far a step has come. Shown by shape on the Board.
enum class Mark { untouched, proposed, decided };

// A parameter that one of its row's controls moves (session/control.h): its values where the
// control is at 0 and at 100.
struct ControlTarget {
    std::string control;    // what people call the control
    std::string parameter;  // of the stage; at most one control moves it
    double from = 0.0, to = 0.0;
    bool operator==(const ControlTarget&) const = default;
};

struct Stage {
    std::string id;    // unique in its row: "gate", "eq", "eq-2"
    std::string type;  // a ProcessorType
    bool on = false;
    Mark mark = Mark::untouched;
    std::vector<double> values;  // by index of the type's table
    std::string key;  // row whose source drives the detector (a bus: its sum, before its chain);
                      // empty: its own signal
    // What a person calls a part of it, and why it is so: "b3.name", "b3.why".
    std::map<std::string, std::string, std::less<>> words = {};
    // Values by drum where a stage has them: what "bleed" turns each drum to, dB (session/bleed.h).
    std::map<std::string, double, std::less<>> drums = {};
    std::vector<Curve> curves = {};  // parameters that move along the song, at most one each
    std::string data = {};   // hash of what was measured for it and never changes; empty: nothing
    std::string extra = {};  // unknown fields of the file, kept (JSON object text)
    std::vector<ControlTarget> controls = {};
    bool operator==(const Stage&) const = default;
};

// Who a row is, how sure that is, and on what grounds. What a person says is sure.
struct Likely {
    Role role = Role::unknown;
    double sure = 0.0;  // 0..1
    bool operator==(const Likely&) const = default;
};
struct Identity {
    double sure = 1.0;                 // 0..1, of the row's role
    std::vector<std::string> grounds;  // "name", "sound", "kit" (the other microphones), "person"
    std::vector<Likely> alternatives;  // the next likeliest, best first
    bool operator==(const Identity&) const = default;
};
// Below this nothing is proposed that rests on the role: the person is asked first.
inline constexpr double kSureEnough = 0.7;

// Where a row's sound goes beside its bus: into a parallel, a space, any other bus.
struct Send {
    std::string to;       // id of a bus or of the main; at most one send of a row to each
    bool before = false;  // taken before the fader (behind the chain, with no level, pan or width)
    bool on = true;
    double levelDb = 0.0;            // kSendLowest (silence) .. kSendHighest
    double pan = 0.0;                // %, -100 (left) .. 100 (right), by the seat's laws
    std::vector<Curve> curves = {};  // of "level" and "pan", at most one each
    std::string extra = {};
    bool operator==(const Send&) const = default;
};
inline constexpr double kSendLowest = -90.0, kSendHighest = 12.0;  // dB

struct Row {
    std::string id;  // unique, lower case with hyphens: "snare-top"
    std::string name;
    RowKind kind = RowKind::element;
    Role role = Role::unknown;
    std::string drum;  // id of the drum it stands at; empty where it hears the whole kit or none
    Identity who;
    std::string parent;           // bus it feeds; empty for main and references
    std::vector<Source> sources;  // none (bus, layers), one, or two (left, right)
    std::vector<Layer> layers;    // what the strokes and notes of `drum` start, in place of sources
    std::vector<Send> sends;      // beside the parent
    std::vector<Stage> chain;     // align first (elements), seat last, the rest in the user's order
    bool mute = false, solo = false;
    std::optional<Print> frozen = {};       // what it plays in place of its sound and chain
    std::optional<PrintedOf> printed = {};  // what its recordings were made of
    std::string extra = {};
    bool operator==(const Row&) const = default;
};

struct LoopSpan {
    bool on = false;
    double from = 0.0, to = 0.0;
    bool operator==(const LoopSpan&) const = default;
};

// A place worth listening to, in seconds of song time.
struct Spot {
    std::string name;
    double from = 0.0, to = 0.0;
    bool operator==(const Spot&) const = default;
};

// What rough levels aim at: a peak in dBFS of a drum's loudest or usual strokes, or the average
// loudness in LUFS of everything, where the row leaves its seat: faders of buses and main come
// after.
enum class TargetStrokes { loudest, usual, all };
struct LevelTarget {
    std::string what;  // "kick", "snare", "tom", "hihat", "cymbal", "percussion", or a role that
                       // hears the whole kit: "overhead", "room", "kit"
    bool peak = true;
    TargetStrokes strokes = TargetStrokes::loudest;
    double db = -14.0;
    bool operator==(const LevelTarget&) const = default;
};

// What kind of music it is; decides what is usual, nothing else.
enum class Style { any, pop, rock, heavy, soul, jazz, electronic };

// Where a person wants a drum's note.
struct NoteTarget {
    std::string drum;    // drum id: "snare", "floor-tom"
    double hertz = 0.0;  // 20 to 1000
    bool operator==(const NoteTarget&) const = default;
};

// How long a step of the work may take, all rows together. Reported, and not judged.
struct StepBudget {
    Column step = Column::repair;
    double minutes = 0.0;  // over 0
    bool operator==(const StepBudget&) const = default;
};

// A line of one's own over the spectrum of a sum, and how the spectrum is read that it is held
// against (session/ceiling.h).
struct CeilingPoint {
    double hertz = 1000.0;  // 20..20000
    double db = -12.0;      // of a third of an octave, a full-scale sine being 0; -120..20
    bool operator==(const CeilingPoint&) const = default;
};
struct Ceiling {
    double windowMs = 170.0;   // 20..1000: how much is looked at at once
    double averageMs = 300.0;  // 0..5000: time constant over which it is averaged
    double slopeDb = 3.0;      // 0..6: lifted by so much an octave, 1 kHz staying where it is
    std::vector<CeilingPoint> points;  // two or more, from low to high
    bool operator==(const Ceiling&) const = default;
};

// A large part of a session that many sessions share: never changed, only replaced. Equal by
// content.
template <typename T>
class Shared {
  public:
    Shared() = default;
    explicit Shared(T value) : value_(std::make_shared<const T>(std::move(value))) {}
    [[nodiscard]] const T& get() const {
        static const T nothing{};
        return value_ ? *value_ : nothing;
    }
    bool operator==(const Shared& other) const {
        return value_ == other.value_ || get() == other.get();
    }

  private:
    std::shared_ptr<const T> value_;
};

// How far the loudness of a sum may move (EBU Tech 3342): it stays even, and keeps `lu` at most, or
// it moves, and keeps `lu` at least (session/range.h).
struct RangeBudget {
    std::string row;     // a bus or the main
    bool moves = false;  // or stays even
    double lu = 0.0;     // 0..40
    bool operator==(const RangeBudget&) const = default;
};

// A few seconds of a mix as it sounded once, kept as audio.
struct MixClip {
    std::vector<Source> audio;    // left and right
    double from = 0.0, to = 0.0;  // seconds of song time that it is of
    double lufs = -70.0;          // how loud it is
    std::string extra = {};
    bool operator==(const MixClip&) const = default;
};

// What was found of a snapshot, against what it was compared with.
enum class Verdict { open, better, worse, same };

// The mix as it stood once (session/snapshot.h).
struct Snapshot {
    std::string id;          // "snapshot-3", unique in the session
    std::string name, note;  // note: what it was for, what was found; may be empty
    Verdict verdict = Verdict::open;
    std::int64_t time = 0;  // seconds since 1970, UTC
    Shared<std::vector<Row>> rows;
    Shared<Pattern> pattern;
    std::optional<MixClip> clip = {};
    std::string extra = {};
    bool operator==(const Snapshot&) const = default;
};

struct Session {
    static constexpr int kVersion = 13;

    std::string name = "Untitled";
    int sampleRate = 48000;
    TimeMap time;  // tempi, metres, and where bar 1 begins
    Style style = Style::any;
    Ways ways;
    LoopSpan loop;
    // Strokes as measured and corrected; stroke-keyed gates open by them. In order of time.
    Shared<std::vector<Stroke>> strokes;
    Shared<Pattern> pattern;              // what is programmed, beside the strokes
    std::vector<KeyMapping> keys;         // of MIDI, where they differ from the usual ones
    std::vector<StrokeEdit> strokeEdits;  // corrections, kept when strokes are measured anew
    std::vector<std::string> declined;    // ids of proposals a person declined
    std::vector<Spot> spots;              // a person's own, beside those that are found
    std::vector<LevelTarget> targets;     // where they differ from the usual ones
    std::vector<NoteTarget> notes;        // at most one a drum
    std::vector<StepBudget> budgets;      // at most one a step
    std::optional<Ceiling> ceiling;       // over the spectrum of buses and main
    std::vector<RangeBudget> ranges;      // at most one a row
    std::vector<std::string> together;    // controls that move every row which has one so called
    std::vector<Drum> drums;  // every drum that a microphone stood at once, with its lasting id
    std::vector<Row> rows;    // in the Board's order: members, their bus, ..., main last
    std::vector<Snapshot> snapshots;  // in the order in which they were taken
    std::string extra = {};
    bool operator==(const Session&) const = default;
};

// The note wanted of a drum, Hz; 0 where none is.
double noteTarget(const Session& session, std::string_view drum);
// The session with another (0: none). Throws Error outside 20 to 1000 Hz.
Session withNoteTarget(Session session, std::string_view drum, double hertz);

// How many minutes a step may take; 0 where nobody said.
double stepBudget(const Session& session, Column step);
// The session with another (0: none). Throws Error outside 0 to 10 000.
Session withStepBudget(Session session, Column step, double minutes);

// What people call a drum of this session.
std::string drumName(const Session& session, std::string_view drum);
// The drum of a session by its id or its name, any case. Throws Error naming what there is.
std::string requireDrum(const Session& session, std::string_view idOrName);

// The tempo by which note values are told: where the loop begins while it is on, or else at bar 1.
double tempoHere(const Session& session);

// Names in files and on the command line.
std::string_view toString(RowKind kind);
std::string_view toString(Role role);
std::string_view toString(Mark mark);
std::string_view toString(TargetStrokes strokes);
std::string_view toString(Style style);
std::string_view toString(Verdict verdict);
std::string_view toString(Column step);
// What a person reads: "kick in", "overheads".
std::string_view roleLabel(Role role);
// The same as a name: "Kick In", "Overhead".
std::string roleTitle(Role role);
std::string_view styleLabel(Style style);        // "soul and funk"
std::string_view verdictLabel(Verdict verdict);  // "no verdict", "better"
// Throw Error for an unknown name.
RowKind rowKindFrom(std::string_view text);
Role roleFrom(std::string_view text);
Mark markFrom(std::string_view text);
TargetStrokes targetStrokesFrom(std::string_view text);
Style styleFrom(std::string_view text);
Verdict verdictFrom(std::string_view text);
Column stepFrom(std::string_view text);
// The steps that have more than one way of working, and what the ways are called: "align" has
// "within-drum" and "to-overheads".
const std::vector<std::pair<std::string, std::vector<std::string>>>& waysByStep();
// The place of the chosen one among them. Throws Error for an unknown step.
std::size_t wayOf(const Ways& ways, std::string_view step);

// Whether a microphone of this role hears the whole kit (overheads, room, a stereo file); one that
// nobody recognised may.
bool hearsAll(Role role);
// Whether it is an element that nobody is sure about.
bool isUnsure(const Row& row);
// Gives every element that stands at a drum its drum: those it has stay while they are of the
// role's family; new ones get an id that was never used. Nothing else changes.
Session withDrums(Session session);
// The session with a row's name, or its role as a person says it (which is then sure). A new role
// moves the row to the bus of its kind where there is one. Throw Error for unknown rows and where
// the name is empty.
Session withName(Session session, std::string_view row, std::string name);
Session withRole(Session session, std::string_view row, Role role);
// The session that works another way in a step. Throws Error naming what there is.
Session withWay(Session session, std::string_view step, std::string_view way);

// Rows and stages by id; null when there is none.
const Row* findRow(const Session& session, std::string_view id);
Row* findRow(Session& session, std::string_view id);
const Stage* findStage(const Row& row, std::string_view id);
Stage* findStage(Row& row, std::string_view id);
// Throw Error naming what there is instead.
Row& requireRow(Session& session, std::string_view id);
Stage& requireStage(Row& row, std::string_view id);

// Whether audio comes from files (element, guest, reference).
bool hasSources(RowKind kind);
// Whether a row plays recordings, and not layers or what feeds it.
inline bool playsRecordings(const Row& row) {
    return !row.sources.empty();
}
// Every file that a row plays live, recordings and sounds of layers alike.
template <typename AnyRow, typename Each>
void eachRecording(AnyRow& row, Each each) {
    for (auto& source : row.sources) each(source);
    for (auto& layer : row.layers) {
        for (auto& sound : layer.sounds) each(sound);
    }
}
// Those, and what it was printed to.
template <typename AnyRow, typename Each>
void eachFile(AnyRow& row, Each each) {
    eachRecording(row, each);
    if (!row.frozen) return;
    for (auto& source : row.frozen->audio) each(source);
}
// 1 or 2 channels before the seat; layers always have two.
int channelCount(const Row& row);

// Whether strokes drive a stage (a gate with strokes as key, what shapes single strokes); anything
// in a row, its layers too; anything in the session.
bool playsStrokes(const Stage& stage);
bool playsStrokes(const Row& row);
bool playsStrokes(const Session& session);

// Align, bleed and seat belong to their row and keep their places; a chain is copied without them.
bool belongsToRow(const Stage& stage);
// A new stage of a type with its defaults, switched off unless it is align or seat.
Stage makeStage(std::string_view type);
// The usual chain of a row of this kind.
std::vector<Stage> makeChain(RowKind kind);
// A session with a row that was made in it, and its id.
struct NewRow {
    Session session;
    std::string row;
};
// Row id from a name, unique in the session.
std::string makeRowId(const Session& session, std::string_view name);

// The session with one parameter moved; the stage counts as decided and is switched on.
// Throws Error for unknown names or values out of range.
Session withValue(Session session, std::string_view row, std::string_view stage,
                  std::string_view parameter, double value);
// Of a stage's text, in bytes.
inline constexpr std::size_t kLongestWord = 400;
// The session with a stage's text ("b3.name") of at most kLongestWord; empty takes it away. Throws
// Error for unknown names and for longer ones.
Session withWord(Session session, std::string_view row, std::string_view stage,
                 std::string_view word, std::string text);
// What a band of an equaliser is called: in a person's own word, or else by what it does.
std::string eqBandName(const Stage& stage, int band, double note = 0.0,
                       std::span<const double> rings = {});
// What a parameter of a stage is called: "Threshold", of an equaliser's bands "rumble frequency".
std::string parameterLabel(const Stage& stage, std::size_t index);
// The band as in an untouched equaliser, without name or reason. Throws Error for unknown names.
Session withoutEqBand(Session session, std::string_view row, std::string_view stage, int band);
// Align and seat are never off; throws Error when they are to be.
Session withStageOn(Session session, std::string_view row, std::string_view stage, bool on);
// What drives a stage's detector: another element (also a muted one), a bus before its chain, or
// with an empty key the row itself. Throws Error where that cannot be.
Session withKey(Session session, std::string_view row, std::string_view stage,
                std::string_view key);
// A new stage of a type behind the stage `after` (empty: where its column stands among the others);
// its id is unique in the row. Throws Error for unknown names, and for align and seat, of which a
// row has exactly one.
Session withStageAdded(Session session, std::string_view row, std::string_view type,
                       std::string_view after = {});
// A copy behind the stage itself.
Session withStageDuplicated(Session session, std::string_view row, std::string_view stage);
Session withStageRemoved(Session session, std::string_view row, std::string_view stage);
// Moves a stage before or after its neighbours; align stays first and seat last.
Session withStageMoved(Session session, std::string_view row, std::string_view stage, int steps);

// A preset's values on a stage of the same type, which counts as decided and is switched on as the
// preset was. Throws Error where the types differ.
Session withPreset(Session session, std::string_view row, std::string_view stage,
                   const Stage& preset);
// Other processors in place of the row's own; align and seat stay.
Session withChain(Session session, std::string_view row, std::vector<Stage> chain);

// One key for soloing: a row, then its bus, then everything again; whatever else was soloed is not
// any more. Throws Error for unknown rows.
Session withSoloStepped(Session session, std::string_view row);
// The session with these rows alone, unmuted, in their order. What fed a row that is gone feeds the
// main; sends to rows that are gone go; keys that are gone fall back to the signal itself.
Session withOnlyRows(Session session, const std::vector<std::string>& rows);
// The id of the main; empty where there is none.
std::string mainRow(const Session& session);

// One sentence naming the first thing in the session that cannot work (sound that comes round to
// itself, missing parents, double ids, odd chains); empty when sound.
std::string validate(const Session& session);

}  // namespace ember
