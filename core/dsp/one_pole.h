// The coefficient of a one-pole filter, topology-preserving (Zavalishin 2012).
#pragma once

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {

// Share of the way to its input that a low-pass of this corner goes in a frame; corners stay under
// 0.45 of the rate.
inline double onePoleShare(double hertz, double sampleRate) {
    const double g = std::tan(std::numbers::pi * std::min(hertz, 0.45 * sampleRate) / sampleRate);
    return g / (1.0 + g);
}

}  // namespace ember
