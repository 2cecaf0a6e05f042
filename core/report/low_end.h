// The bottom of a mix by itself: kick and bass alone, before the rest is judged.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <optional>
#include <string>
#include <vector>

namespace ember {

// A kick or a bass as it leaves its fader, buses and main apart.
struct LowRow {
    std::string row;
    bool bass = false;
    double peakDb = -150.0;          // dBFS, of everything it plays
    std::optional<double> targetDb;  // what it aims at (targetFor()), and what it reads of that
    double readsDb = -150.0;
    // A kick: how far it stands over all bass under its strokes, in the octave where it is
    // strongest; a bass: in the octave where it is strongest, over all kicks. dB.
    double ownHertz = 0.0, overDb = 0.0;
};

enum class LowOwner { nobody, kick, bass, both };

// What sounds under the kick's strokes in an octave.
struct LowOctave {
    double low = 0.0, high = 0.0;             // Hz
    double kickDb = -150.0, bassDb = -150.0;  // against the loudest octave of either
    LowOwner owner = LowOwner::nobody;
    double clash = 0.0;                   // 0..1, of the strokes: the bass is in the kick's way
    double sumDb = 0.0, flippedDb = 0.0;  // as of AddedBand
};
// Who stands this far over the other owns an octave.
inline constexpr double kOwnsDb = 3.0;
// Bass that lies less than this under the kick stands in its way.
inline constexpr double kClearDb = 6.0;
// How far kick and bass together stand over the kick's peak where both are as loud as people mostly
// have them.
inline constexpr double kPairOverDb = 5.0;

// A stroke of the kick, and how far it stands over the bass in the kick's own octave.
struct LowStroke {
    double time = 0.0, overDb = 0.0;  // seconds of song time, dB
};

// What may be done about it, and what that did when it was tried.
struct LowMove {
    enum class Kind { duck, cutBass, cutKick };
    Kind kind = Kind::duck;
    std::string row;       // that is processed
    std::string key;       // of duck: the kick it steps back under
    double hertz = 0.0;    // of cuts
    double freesDb = 0.0;  // the one that gets the room over the other, in its octave
    double costsLu = 0.0;  // of the row's own loudness, negative
    double lowsDb = 0.0;   // the sum below 354 Hz, under the strokes
};

struct LowEnd {
    std::vector<LowRow> rows;              // kicks, then basses, each in the session's order
    std::vector<LowOctave> octaves;        // four, from 22 to 354 Hz
    std::vector<double> thirds;            // centres, Hz: three an octave
    std::vector<double> kick, bass, pair;  // by third, under the strokes; dB, the loudest 0
    std::size_t own = 0;                   // place of the kick's octave
    std::vector<LowStroke> strokes;        // in order of time
    double overDb = 0.0;                   // the median of those
    double kickPeakDb = -150.0, pairPeakDb = -150.0;  // dBFS
    std::vector<LowMove> moves;
};

// Rows that are judged: elements of a kick, and guests in the role of a bass (of whatever role,
// where none has it).
std::vector<std::string> lowKicks(const Session& session);
std::vector<std::string> lowBasses(const Session& session);

// What a row reads of a target: the peak of its loudest or usual strokes, or its loudness, in audio
// that begins at `from` seconds; -150 where it is not struck there. Pure.
double targetReading(const Session& session, const LevelTarget& target, const std::string& row,
                     const AudioBuffer& audio, double from);

// Kicks and basses over [from, to) seconds of song time, heard alone even where they are muted;
// `to` < 0: a minute at most. What may be done is tried on them. Any thread; throws Error without a
// kick, its strokes, or a bass, and Cancelled.
LowEnd lowEnd(const Session& session, AudioStore& store, double from, double to,
              const Progress& progress = {});

// Centre of the third in which levels or powers (three an octave) are highest within an octave, Hz.
double loudestThird(const std::vector<double>& thirds, std::size_t octave);
// What is worth trying where they meet, before it is known what it does. Pure.
std::vector<LowMove> lowMovesFor(const Session& session, const LowEnd& found);

// What is to be said of it, a sentence each; and of a move. Pure.
std::vector<std::string> lowEndText(const Session& session, const LowEnd& found);
std::string lowMoveText(const Session& session, const LowMove& move);

// The session with a move made, and the stage of move.row that makes it: a pump, or an equaliser
// with a band more. Throws Error where a row is gone.
struct LowMoveMade {
    Session session;
    std::string stage;
};
LowMoveMade withLowMove(Session session, const LowMove& move);
// Kicks and basses with the buses they go through, and nothing else.
Session lowEndAlone(const Session& session);

}  // namespace ember
