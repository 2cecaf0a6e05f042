// One-shots of the simulated drums and a part for them, as a folder that a programmed kit is made
// of: no room, no bleed.
#pragma once

#include "demo/kit.h"

#include <filesystem>
#include <vector>

namespace ember::demo {

// A single stroke of a drum as it sounds a metre away, until it has died away; peak 0.7. `outlet`
// 1: the front head of the kick, the wires of the snare.
std::vector<float> strikeAlone(Drum drum, double velocity, double sampleRate, std::uint64_t seed,
                               Articulation articulation = Articulation::normal, int outlet = 0);

// The file that holds the part.
inline constexpr const char* kBeatFile = "beat.mid";

// Writes 24-bit WAV files of every drum, several a drum where it has several ways of being struck,
// and kBeatFile with eight bars of the simulated drummer, straightened to the grid as a machine
// plays them. Returns the sounds.
std::vector<std::filesystem::path> writeOneShots(const std::filesystem::path& folder);

}  // namespace ember::demo
