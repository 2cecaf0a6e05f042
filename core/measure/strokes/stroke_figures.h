// What makes a stroke hit, read from its samples.
#pragma once

#include "core/base/units.h"

#include <span>

namespace ember {

// The split between attack and body, and what counts as the stroke, seconds; after the
// attack/sustain measures of punch of Fenton & Lee, "A Perceptual Model of Punch Based on Weighted
// Transient Loudness", JAES 67(6), 2019.
inline constexpr double kAttackSeconds = 0.03, kStrokeSeconds = 0.3;

struct StrokeFigures {
    double energy = 0.0;             // sum of squares
    double peakDb = kSilenceDb;      // dBFS
    double crestDb = 0.0;            // peak against the RMS
    double transientToBodyDb = 0.0;  // energy of the attack against that of the rest
};

// One or two channels of equal length, from the stroke's first sample on; what lies behind
// kStrokeSeconds is left out. Pure, real-time safe.
StrokeFigures readStroke(std::span<const std::span<const float>> channels, double sampleRate);
StrokeFigures readStroke(std::span<const float> samples, double sampleRate);

}  // namespace ember
