// A short filter over a line of samples, for filters without feedback.
#pragma once

#include <span>

namespace ember {

// out[k * stride] = sum over j of taps[j] * line[k + j], for k in [0, n); `line` holds
// n + taps.size() - 1 samples. Every sum is added in the order of j, whatever the machine:
// identical samples everywhere. Real-time safe.
void convolve(const float* line, std::span<const float> taps, int n, float* out, int stride = 1);

}  // namespace ember
