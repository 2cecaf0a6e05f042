// Through the music: how far each drum's strokes stand above everything else that sounds, guests
// too, and where the fault lies when they do not.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

// Why strokes do not come through. level: they would, a few decibels louder. tone: what they have
// lies where others are. together: others strike at the same moments.
enum class ThroughFault { none, level, tone, together };

struct DrumThrough {
    std::string drum;     // id
    int strokes = 0;      // looked at, ghost notes left out
    double heard = 1.0;   // 0..1 of them: what the stroke adds lies over what the rest would hide
    double overDb = 0.0;  // median of how far its clearest band lies over that
    double lowDb = 0.0;   // the same of the weakest tenth
    int ghosts = 0;
    double ghostsHeard = 1.0;
    double raiseDb = 0.0;  // what would bring kThroughEnough of them through; 0: enough do
    ThroughFault fault = ThroughFault::none;
    std::string behind;  // row that is loudest where strokes are hidden; empty: none is
    double hertz = 0.0;  // there
    // Where fewest come through, of stretches of kThroughBars bars with four strokes and more.
    int weakBar = 0;  // its first bar, from 1; 0: the stretches are alike
    double weakHeard = 1.0;
};
inline constexpr double kThroughEnough = 0.9, kRaiseAtMostDb = 6.0;
inline constexpr int kThroughBars = 4;

struct ThroughMusic {
    std::vector<DrumThrough> drums;  // those that are struck and have a row, in the session's order
    bool guests = false;             // whether any guest sounds there
};

// Over [from, to) seconds of song time, `to` < 0: kLongestCompared at most. What a stroke adds is
// the rise of the rows at its drum, band by band, from just before it into its attack, times what
// overheads and rooms add to it: the whole mix's rise against theirs where they stand out of it,
// usually, up to 6 dB. So a drum is not held against itself where other microphones hear it. It is
// heard where that lies over what the mix hides in the tenth of a second before
// (measure/level/masking.h). Strokes within 25 ms of a louder stroke of another drum are held
// against that one too. Any thread; throws Error where no drum has strokes there, and Cancelled.
ThroughMusic throughMusic(const Session& session, AudioStore& store, double from, double to,
                          const Progress& progress = {});
// A sentence each. Pure.
std::vector<std::string> throughText(const Session& session, const ThroughMusic& found);
std::string throughFaultText(ThroughFault fault);  // "level", "tone", "struck together", "–"

// The session with what stands at a drum raised by so much, at its faders and in what is sent
// before them. Throws Error for a drum without rows.
Session withDrumRaised(Session session, const std::string& drum, double db);

}  // namespace ember
