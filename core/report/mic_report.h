// Which microphones a mix would miss.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

struct MicWorth {
    // Whose strokes lose and gain most without it, in which of earBands() within 24 dB of their
    // loudest, at the loudness of the mix with it. drum: an id, empty where nothing changes.
    struct Change {
        std::string drum;
        double hertz = 0.0, db = 0.0;
    };
    std::string row;
    Change loses, gains;
    bool missed = false;  // whether either is 1 dB
};

// Closes each microphone in turn in the mix as it plays, over its fullest 16 seconds, and looks at
// the first 200 ms of every drum's strokes that no other drum falls together with: rooms come late.
// Buses keep the gains that they have with all of them. `strokes` as heard. Any thread; throws
// Error or Cancelled.
std::vector<MicWorth> microphonesMissed(const Session& session, AudioStore& store,
                                        const std::vector<Stroke>& strokes,
                                        const Progress& progress = {});

// "Without it Snare loses 3.2 dB at 254 Hz and Kick gains 1.1 dB at 64 Hz." and the like. Pure.
std::string worthSentence(const Session& session, const MicWorth& worth);

// [{"row", "missed", "loses": {"drum", "hertz", "db"}, "gains": ...}]; null where nothing does.
std::string micsJson(const std::vector<MicWorth>& mics);

}  // namespace ember
