// Units and their conversions. Levels in dB are 20 log10 of amplitude.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace ember {

// Frames of audio at the session's rate, counted from song zero.
using Frames = std::int64_t;

// What a level meter calls silence.
inline constexpr double kSilenceDb = -150.0;

inline double gainFromDb(double db) {
    return std::pow(10.0, db / 20.0);
}

inline double dbFromGain(double gain) {
    return gain > 0.0 ? std::max(20.0 * std::log10(gain), kSilenceDb) : kSilenceDb;
}

inline double framesFromMs(double ms, double sampleRate) {
    return ms * 1e-3 * sampleRate;
}

}  // namespace ember
