// The line of one's own over the spectrum of a sum. Pure; any thread.
#pragma once

#include "core/session/session.h"

#include <optional>

namespace ember {

struct Limits {
    double low, high;
};
inline constexpr Limits kCeilingWindow{20.0, 1000.0}, kCeilingAverage{0.0, 5000.0},  // ms
    kCeilingSlope{0.0, 6.0},                                                         // dB an octave
    kCeilingHertz{20.0, 20000.0}, kCeilingDb{-120.0, 20.0};
inline constexpr std::size_t kMostCeilingPoints = 16;

// Its level at a frequency, dB: straight over the octaves between points, level beyond the ends.
double ceilingAt(const Ceiling& ceiling, double hertz);
// The session with another, or none. Throws Error where points are too few, too many, out of range
// or not from low to high.
Session withCeiling(Session session, std::optional<Ceiling> ceiling);

}  // namespace ember
