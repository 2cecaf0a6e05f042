#include "core/dsp/convolve.h"

#include "core/dsp/simd.h"

namespace ember {
namespace {

// A sum must be added in its order, so one output after another would wait for every addition; many
// side by side fill the registers, and each still comes out the same to the bit.
EMBER_CLONES void convolveAll(const float* line, const float* taps, int count, int n, float* out,
                              int stride) {
    constexpr int kTile = 32;
    int k = 0;
    for (; k + kTile <= n; k += kTile) {
        float sums[kTile] = {};
        for (int j = 0; j < count; ++j) {
            const float tap = taps[j];
            const float* x = line + k + j;
            for (int i = 0; i < kTile; ++i) sums[i] += tap * x[i];
        }
        for (int i = 0; i < kTile; ++i) out[(k + i) * stride] = sums[i];
    }
    for (; k < n; ++k) {
        const float* x = line + k;
        float sum = 0.0F;
        for (int j = 0; j < count; ++j) sum += taps[j] * x[j];
        out[k * stride] = sum;
    }
}

}  // namespace

void convolve(const float* line, std::span<const float> taps, int n, float* out, int stride) {
    convolveAll(line, taps.data(), static_cast<int>(taps.size()), n, out, stride);
}

}  // namespace ember
