// What drives a detector: how loud every drum is in the microphone it listens to, and where its
// filters make one drop out.
#pragma once

#include "core/measure/sound/spectrum.h"
#include "core/session/session.h"

#include <span>
#include <string>
#include <vector>

namespace ember {

class AudioStore;

// A drum's strokes as one row hears them.
struct KeyDrum {
    std::string drum;
    Spectrum spectrum;  // mean over its strokes in the first sixth of a second
    int strokes = 0;
};

// Every drum of which the row heard at least four strokes with no other drum close by (cymbals
// beside a head do not count); the row's own first, then the loudest. At most 48 strokes each. Any
// thread; throws Error where the recording cannot be read.
std::vector<KeyDrum> keyDrums(const Session& session, AudioStore& store,
                              const std::vector<Stroke>& strokes, const std::string& row);

// Level behind the key filter's corners (Hz; second-order Butterworth as key_filter.h), dB.
double keyLevelDb(const Spectrum& spectrum, double highPass, double lowPass);

// A corner from which on a neighbour drives the detector no more: it lies 12 dB under the own drum,
// which itself has lost no more than 6 dB.
struct DropOut {
    std::string drum;
    bool highPass = true;  // or low-pass
    double hertz = 0.0;
};
// The gentlest corner for each neighbour that can be filtered out and is not that soft already.
// `drums` as keyDrums() gives them. Pure.
std::vector<DropOut> dropOuts(std::span<const KeyDrum> drums);

}  // namespace ember
