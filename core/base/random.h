// Seeded random numbers, the same on every machine (the standard library's
// distributions are not).
#pragma once

#include <cmath>
#include <cstdint>
#include <numbers>

namespace ember {

// SplitMix64 (Steele, Lea & Flood, "Fast splittable pseudorandom number generators", OOPSLA 2014).
class Random {
  public:
    // The seed is scrambled first: neighbouring seeds would otherwise share one sequence,
    // a step apart.
    explicit Random(std::uint64_t seed) : state_(scramble(seed + 0x1234567ULL)) {}

    std::uint64_t bits() {
        state_ += 0x9E3779B97F4A7C15ULL;
        return scramble(state_);
    }
    // Uniform in [0, 1).
    double uniform() { return static_cast<double>(bits() >> 11U) * 0x1.0p-53; }
    double uniform(double low, double high) { return low + (high - low) * uniform(); }
    // Standard normal, by Box & Muller 1958.
    double normal() {
        const double radius = std::sqrt(-2.0 * std::log(1.0 - uniform()));
        return radius * std::cos(2.0 * std::numbers::pi * uniform());
    }
    // White noise sample in [-1, 1).
    float noise() {
        return static_cast<float>(static_cast<std::int32_t>(bits() >> 32U)) * 0x1.0p-31F;
    }

  private:
    static std::uint64_t scramble(std::uint64_t z) {
        z = (z ^ (z >> 30U)) * 0xBF58476D1CE4E5B9ULL;
        z = (z ^ (z >> 27U)) * 0x94D049BB133111EBULL;
        return z ^ (z >> 31U);
    }

    std::uint64_t state_;
};

}  // namespace ember
