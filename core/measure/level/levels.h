// How loud a signal is, how its two sides stand to each other, and what mono costs.
#pragma once

#include "core/measure/sound/spectrum.h"

#include <span>
#include <string>
#include <vector>

namespace ember {

// Width of one octave: side against mid, dB (0: as much side as mid; strongly negative: mono).
struct BandWidth {
    double hertz = 0.0;  // centre
    double sideToMidDb = -150.0;
    bool operator==(const BandWidth&) const = default;
};

struct SignalLevels {
    std::string row;
    double integrated = -150.0;    // LUFS (ITU-R BS.1770-4), -150 for silence
    double maxShortTerm = -150.0;  // LUFS over 3 s
    double truePeak = -150.0;      // dBTP
    double crestDb = 0.0;          // sample peak against the RMS of what is not silence
    Spectrum spectrum = {};        // third octaves of all of it; of elements as recorded only
    double rumbleDb = -150.0;      // measureRumble(); likewise
    // Stereo signals only (correlation 1, nothing lost and no bands otherwise).
    double correlation = 1.0;  // -1..1
    double monoLossDb = 0.0;   // (L+R)/2 against the power of L and R; 0: identical sides, 3:
                               // unrelated ones, more: they cancel
    std::vector<BandWidth> width;
    bool operator==(const SignalLevels&) const = default;
};

// One or two channels of equal length. Pure; any thread.
SignalLevels measureLevels(std::span<const std::span<const float>> channels, double sampleRate);

// What lies below 20 Hz while nothing is struck (its median level over tens of milliseconds; the
// beginnings of strokes hold such energy too, and that is theirs), dB against the mean level of
// everything; -150 at least. Pure; any thread.
double measureRumble(std::span<const float> samples, double sampleRate);

}  // namespace ember
