// How loud a signal is, how its two sides stand to each other, and what mono costs.
#pragma once

#include "core/base/units.h"
#include "core/measure/level/loudness.h"
#include "core/measure/sound/spectrum.h"

#include <span>
#include <string>
#include <vector>

namespace ember {

// Width of one octave: side against mid, dB (0: as much side as mid; strongly negative: mono).
struct BandWidth {
    double hertz = 0.0;  // centre
    double sideToMidDb = kSilenceDb;
    bool operator==(const BandWidth&) const = default;
};

struct SignalLevels {
    std::string row;
    double integrated = kSilenceDb;    // LUFS (ITU-R BS.1770-4), -150 for silence
    double maxShortTerm = kSilenceDb;  // LUFS over 3 s
    double truePeak = kSilenceDb;      // dBTP
    double crestDb = 0.0;              // sample peak against the RMS of what is not silence
    Spectrum spectrum = {};            // third octaves of all of it; of elements as recorded only
    double rumbleDb = kSilenceDb;      // measureRumble(); likewise
    // Stereo signals only (correlation 1, nothing lost and no bands otherwise).
    double correlation = 1.0;  // -1..1
    double monoLossDb = 0.0;   // (L+R)/2 against the power of L and R; 0: identical sides, 3:
                               // unrelated ones, more: they cancel
    std::vector<BandWidth> width;
    bool operator==(const SignalLevels&) const = default;
};

// One or two channels of equal length. Without full detail the sample peak stands in for the true
// peak, and there is no short-term maximum (loudness.h). Pure; any thread.
SignalLevels measureLevels(std::span<const std::span<const float>> channels, double sampleRate,
                           LoudnessDetail detail = LoudnessDetail::full);

// What lies below 20 Hz while nothing is struck (its median level over tens of milliseconds; the
// beginnings of strokes hold such energy too, and that is theirs), dB against the mean level of
// everything; -150 at least. Pure; any thread.
double measureRumble(std::span<const float> samples, double sampleRate);

}  // namespace ember
