// What is true of a recorded drum's tone, read from its strokes alone, without room, bleed or
// neighbours, by other means than the measurements'.
#pragma once

#include <vector>

namespace ember::test {

struct DrumTruth {
    double fundamental = 0.0;        // strongest partial once the glide has settled, Hz; 0: none
    double t60 = 0.0;                // of the octave's part around it, by Schroeder's integral, s
    std::vector<double> resonances;  // Hz: partials of its own that stand out and ring on
};

// When a drum's note has settled (seconds after the stroke), and where it is looked for.
struct SettledRange {
    double from, to, low, high;
};

// From strokes of equal length, each from its first sample on.
DrumTruth drumTruth(const std::vector<std::vector<float>>& strokes, const SettledRange& range,
                    double rate);

}  // namespace ember::test
