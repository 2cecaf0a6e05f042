// A finished record beside the mix: what of it can be measured, how the mix stands to that, and
// what would bring the mix nearer.
//
// A record is a whole song, and its strokes are found under everything else (measure/song): how
// sure they are is said. Where the mix holds nothing but drums it is held against the bars in which
// the record's drums are bare, if there are any.
#pragma once

#include "core/advise/eq_fit.h"
#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/measure/kit/timing.h"
#include "core/measure/level/levels.h"
#include "core/measure/song/modulation.h"
#include "core/measure/song/song_bars.h"
#include "core/measure/song/song_sections.h"
#include "core/session/session.h"

#include <filesystem>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace ember {

// What is read of more than this of a record is of its beginning.
inline constexpr double kLongestReference = 900.0;  // seconds

// A stretch of a record or of the mix, as one hears it.
struct SongFigures {
    SignalLevels levels;   // with third octaves of both sides together
    double rangeLu = 0.0;  // EBU Tech 3342; 0 where it is shorter than a few seconds
    // Between which every third octave lies in four of five pieces of three seconds, as loud as
    // `levels`; three decibels either side where there are fewer than four pieces.
    Spectrum low, high;
    std::vector<DrumStands> drums;
    // Peak over loudness, dB: what is left of the strokes over the rest.
    [[nodiscard]] double peakOverLoudness() const { return levels.truePeak - levels.integrated; }
};

// How far a drum ("snare", "hihat") stands over the kick, dB; nothing where either was not read.
std::optional<double> overKick(const SongFigures& figures, std::string_view drum);

using SongSides = std::vector<std::span<const float>>;
// One or two sides of equal length, which are not empty; strokes of "kick", "snare" and "hihat" in
// seconds from the first sample. Pure; any thread; throws Cancelled.
SongFigures songFigures(const SongSides& sides, double sampleRate,
                        const std::vector<Stroke>& strokes, const Progress& progress = {});

// What people call a drum of a record: "kick", "snare", "hat". Pure.
std::string recordDrum(std::string_view drum);

// How sure the strokes of one drum are.
struct StrokesHeard {
    std::string drum;
    int strokes = 0;
    double sure = 0.0;  // 0..1, mean
};

struct ReferenceReading {
    std::string row;
    double begins = 0.0, ends = 0.0;  // seconds of song time
    std::vector<Stroke> strokes;      // kick, snare and hat, in song time
    std::vector<StrokesHeard> heard;
    KitTiming timing;                   // in song time; bpm 0: not known
    std::vector<BareBars> bare;         // in song time, the longest first
    std::vector<SongSection> sections;  // in song time; none where its tempo is not known
    SongFigures whole;
    std::optional<SongFigures> alone;  // of the longest bare bars
};

// Throws Error for a row that is no reference or whose recording cannot be read, and Cancelled. Any
// thread.
ReferenceReading readReference(const Session& session, AudioStore& store, const std::string& row,
                               const Progress& progress = {});

// The same record where it begins at another second of the song. Pure.
ReferenceReading beginningAt(ReferenceReading reading, double begins);

struct ReferenceMove {
    enum class Kind { drum, tone };
    Kind kind = Kind::drum;
    std::string drum;            // that is raised or lowered
    double db = 0.0;             // by so much
    std::string row;             // whose equaliser gets the bands
    std::vector<BandFit> bands;  // bells
    // How far the mix lies from the record in what the move is about, dB, and what was left of it
    // when it was tried.
    double beforeDb = 0.0, afterDb = 0.0;
};

struct ReferenceCheck {
    bool drumsAlone = false;  // the mix has nothing else here, and is held against bare bars
    bool unlike = false;      // it has nothing else, but the record is never bare
    double louderDb = 0.0;    // the record's loudness less the mix's
    SongFigures mix;
    std::vector<ReferenceMove> moves;
};

// The mix over [from, to) seconds of song time, with its guests; `to` < 0: a minute at most. Its
// strokes are found as the record's are, so that both are told by the same ear, and how its drums
// stand is held against the whole record. What is proposed is tried. Any thread; throws Error or
// Cancelled.
ReferenceCheck checkReference(const Session& session, AudioStore& store,
                              const ReferenceReading& reference, double from, double to,
                              const Progress& progress = {});
// What the mix is held against.
const SongFigures& heldAgainst(const ReferenceReading& reference, const ReferenceCheck& check);

// A band of the mix, as loud as the record, outside of what the record does.
struct OutsideBand {
    double hertz = 0.0, db = 0.0;  // over (positive) or under the record's range
};
// Furthest first. Pure.
std::vector<OutsideBand> outsideBands(const SongFigures& record, const SongFigures& mix);

// A sentence each. Pure.
std::vector<std::string> referenceText(const Session& session, const ReferenceReading& reference);
std::vector<std::string> referenceCheckText(const ReferenceReading& reference,
                                            const ReferenceCheck& check);
// What is struck in the usual bar of each of its parts, and where they stand: a sentence for every
// name. Pure.
std::vector<std::string> sectionsText(const ReferenceReading& reference);
std::string referenceMoveText(const Session& session, const ReferenceMove& move);
// "60–200 Hz: nothing moves by itself." or what does; a sentence.
std::string modulationText(double lowHertz, double highHertz, const std::vector<Modulation>& found);

// The session with a move made. Throws Error where a row or drum is gone.
Session withReferenceMove(Session session, const ReferenceMove& move);
// The session whose reference is moved so that its second `at` (of song time) comes where `to` is,
// a bar line say. Throws Error for a row that is no reference.
Session withReferenceAt(Session session, const std::string& row, double at, double to);
// Its strokes as a MIDI file, by its own bars where those are known, with a mark where a part
// begins. Throws Error.
void writeReferenceMidi(const Session& session, const ReferenceReading& reference,
                        const std::filesystem::path& file);
// A stroke of one of its drums ("kick", "snare", "hihat") cut out: of those that stand alone the
// one with least of anything else over it, a bare one where there is one. 32-bit float at the
// session's rate, as loud as recorded, called "old-mix snare.wav"; an older one of that name is
// replaced. Throws Error where none stands alone.
std::filesystem::path cutFromReference(const Session& session, AudioStore& store,
                                       const ReferenceReading& reference, const std::string& drum,
                                       const std::filesystem::path& folder);
// What moves by itself in a band of the record, over [from, to) seconds of song time.
std::vector<Modulation> modulationIn(const Session& session, AudioStore& store,
                                     const ReferenceReading& reference, double from, double to,
                                     double lowHertz, double highHertz);

}  // namespace ember
