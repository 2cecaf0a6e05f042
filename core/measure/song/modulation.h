// Whether the level of a band goes up and down by itself: the trace of a tremolo, a phaser, a
// chorus, or a slow pump.
#pragma once

#include <span>
#include <vector>

namespace ember {

inline constexpr double kSlowestModulation = 0.3, kFastestModulation = 16.0;  // Hz

struct Modulation {
    double hertz = 0.0;
    double depthDb = 0.0;   // between the lowest and the highest, as a sine
    double chance = 1.0;    // 0..1: how often a band without any shows as much
    bool withBeat = false;  // it comes a whole number of times a bar: playing may do it
};
// Under it a modulation is said to be there.
inline constexpr double kModulationChance = 0.003;

// The modulation spectrum (Houtgast & Steeneken, JASA 77(3), 1985) of the level in dB between two
// frequencies, its slope with rate taken out by medians; each line is held against its
// surroundings by the exact test for the largest of many (Fisher, Proc. R. Soc. A 125, 1929). The
// likeliest first, three at most, and none where the chance is over one half. `bpm` 0: unknown.
// Three seconds at least, else none. Pure; any thread.
std::vector<Modulation> findModulation(std::span<const std::span<const float>> channels,
                                       double sampleRate, double lowHertz, double highHertz,
                                       double bpm = 0.0);

}  // namespace ember
