// How much lies in a few stretches of the spectrum, window by window.
#pragma once

#include <span>
#include <vector>

namespace ember {

struct HertzBand {
    double low = 0.0, high = 0.0;  // Hz, from low on and below high
};

// Windows (Hann) of `length` samples, a power of two, one every `hop`, as many as fit: a row for
// each with the power in every band, in no unit that windows of another length share. Pure; any
// thread.
std::vector<std::vector<double>> bandFrames(std::span<const float> mono, double sampleRate,
                                            int length, int hop, std::span<const HertzBand> bands);

}  // namespace ember
