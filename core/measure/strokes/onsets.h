// Rises of level in one signal, in four bands: where something was struck, whatever it was.
#pragma once

#include "core/measure/kit/kit_mics.h"

#include <vector>

namespace ember {

struct Onset {
    Frames frame = 0;         // song frame, to a millisecond
    float strengthDb = 0.0F;  // rise in the band that rises most
};

// Energy of 1 ms blocks in four bands (edges 180 Hz, 1.2 kHz, 5 kHz); an onset is where the next
// milliseconds stand at least `riseDb` above the loudest of the milliseconds before, in any band
// (logarithmic band-wise rises after Klapuri, ICASSP 1999). Quiet bands are compared with
// their own noise floor. Pure; in order of time.
std::vector<Onset> findOnsets(const MicSignal& mic, std::size_t channel, double sampleRate,
                              double riseDb);

// One attack in one signal. Below 200 Hz nothing is looked at, so a booming head does not hide
// the stick.
struct Arrival {
    Frames frame = -1;    // song frame of its first sample; -1: nothing rises
    float peak = 0.0F;    // largest magnitude of the 6 ms from there
    float riseDb = 0.0F;  // how far that stands above the 14 ms before
    bool operator==(const Arrival&) const = default;
};

// The attack that stands out most between song frames `from` and `to`. It begins where the
// magnitude passes 5 % of the attack's peak or the sound before it, whichever is more. Pure.
Arrival findArrival(const MicSignal& mic, std::size_t channel, double sampleRate, Frames from,
                    Frames to);

}  // namespace ember
