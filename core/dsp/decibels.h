// Blocks of levels and gains between linear and decibels, as fast as the machine allows and with
// the same samples everywhere (fast_math.h says how exactly). Real-time safe.
#pragma once

namespace ember {

// Magnitudes (0 or more) become decibels, in place; silence becomes -200 dB.
void toDecibels(float* levels, int frames);
// Gains of so many decibels; exactly 1 for 0 dB. `gains` may be `decibels`.
void toGains(const float* decibels, float* gains, int frames);

}  // namespace ember
