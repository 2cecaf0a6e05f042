#include "core/dsp/decibels.h"

#include "core/dsp/fast_math.h"
#include "core/dsp/simd.h"

namespace ember {
namespace {

EMBER_CLONES void logarithms(float* levels, int frames) {
    for (int i = 0; i < frames; ++i) levels[i] = kDbPerOctave * fastLog2(levels[i] + 1e-10F);
}

EMBER_CLONES void exponentials(const float* decibels, float* gains, int frames) {
    for (int i = 0; i < frames; ++i) gains[i] = fastExp2(decibels[i] * (1.0F / kDbPerOctave));
}

}  // namespace

void toDecibels(float* levels, int frames) {
    logarithms(levels, frames);
}

void toGains(const float* decibels, float* gains, int frames) {
    exponentials(decibels, gains, frames);
}

}  // namespace ember
