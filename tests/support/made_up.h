// Made-up one-shots, and what is done to them.
#pragma once

#include "core/base/random.h"

#include <vector>

namespace ember::test {

inline constexpr double kMadeUpRate = 48000.0;

// A drum of one of five kinds (kick, snare, hat, tom, crash): a glide and noise, 0.6 s.
std::vector<float> madeUpDrum(Random& random, int kind);
// The same later by any number of samples, `frames` long.
std::vector<float> later(const std::vector<float>& x, double by, std::size_t frames);
// Higher by semitones, as a tape played faster.
std::vector<float> higher(const std::vector<float>& x, double semitones);
// Through a low-pass of one pole, which moves phase as well as level.
std::vector<float> duller(std::vector<float> x, double hertz);
// With a shelf of `db` above `hertz`.
std::vector<float> shelved(std::vector<float> x, double hertz, double db);

}  // namespace ember::test
