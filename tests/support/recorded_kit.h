// Drums that were recorded, not simulated: one-shots of packaged general-MIDI sound sets, every
// stroke made its own, played by our drummers in our rooms before our microphones.
//
// Samples, rooms and set-ups for judging are apart from those that anything was fitted on; the
// split is by sample, for kits of the sets share samples. Where a drum has one recording only in a
// world of its own, docs/measures.md says so.
#pragma once

#include "demo/kit.h"
#include "tests/support/drum_truth.h"

#include <string>
#include <vector>

namespace ember::test {

enum class Half { fitted, judged };

// A packaged sound set; the small one is enough for `small` kits.
bool haveSmallSet();
bool haveLargeSet();

// A partial that was put on a drum on purpose.
struct KnownRing {
    demo::Drum drum = demo::Drum::snare;
    double hertz = 0.0, t60 = 0.0, overDb = 0.0;  // over its third-octave surroundings
    double share = 1.0;                           // of the strokes that have it
};

struct RecordedKit {
    demo::KitOptions options;
    demo::Sound sound;
    std::vector<KnownRing> rings;
    std::vector<DrumTruth> truth;  // by demo::Drum; empty for hat and cymbals
};

// A kit by number: samples, tuning, tempo, room, microphones, set-up and way of playing follow from
// half and number. Every third one is played without a rest. Needs the large set unless `small`.
RecordedKit recordedKit(Half half, int number, demo::MicSet mics, double seconds = 50.0,
                        bool small = false);

}  // namespace ember::test
