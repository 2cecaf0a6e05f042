// Partials that ring on: what one seeks by sweeping.
#pragma once

#include "core/base/units.h"

#include <span>
#include <vector>

namespace ember {

// A partial that stands out and rings longer than what is around it.
struct Ring {
    double hertz = 0.0;
    double prominenceDb = 0.0;    // over its third-octave surroundings
    double t60 = 0.0;             // seconds
    double share = 0.0;           // of the strokes on which it stands out, 0..1
    double levelDb = kSilenceDb;  // its peak 100 ms after the louder strokes, dBFS
    bool operator==(const Ring&) const = default;
};

// One drum's strokes in one microphone.
struct RingMaterial {
    static constexpr double kBefore = 0.12;    // seconds of what was heard before each stroke
    static constexpr std::size_t kFewest = 6;  // strokes that can tell a ring from chance
    double rate = 48000.0;
    const std::vector<std::vector<float>>& strokes;  // from each one's first sample on
    const std::vector<std::vector<float>>& before;   // kBefore long, one a stroke
};

// Partials from `lowest` Hz on that stand out of their third-octave surroundings while only rings
// are left (40 to 160 ms after the stroke), outlast them (or stand out by far), start with the
// stroke, can be heard beside it, and are there on a quarter of the strokes or more; strongest
// first. `others` are notes of other drums that hum along: what lies within 3 % of one is theirs.
// Pure.
std::vector<Ring> findRings(const RingMaterial& material, double lowest, double decayT60,
                            std::span<const double> others);

}  // namespace ember
