// Tempo from the rises of many microphones together.
#pragma once

#include "core/audio/clip.h"

#include <memory>
#include <span>

namespace ember {

struct Tempo {
    double bpm = 120.0;
    double beat = 0.0;        // seconds of the first beat
    double confidence = 0.0;  // 0..1; how far the best tempo stands above the rest
};

// Autocorrelation of the onset strength with a comb over eight beats (after Scheirer,
// J. Acoust. Soc. Am. 103(1), 1998, and Ellis, J. New Music Research 36(1), 2007), 60 to 200 beats
// a minute, leaning towards 110. Pure; any thread.
Tempo measureTempo(std::span<const std::shared_ptr<const Clip>> clips);

}  // namespace ember
