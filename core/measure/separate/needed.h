// How much a kit that was taken apart needs a stroke to be explained.
#pragma once

#include "core/measure/separate/learnt_kit.h"

#include <span>
#include <string>
#include <vector>

namespace ember {

struct SupposedStroke {
    std::string drum;
    double seconds = 0.0;
};

// For each stroke that somebody supposes, whether the kit was learnt with it or not: how much worse
// its drum's own microphones are explained without it, the other strokes as they are. Divergence of
// Itakura and Saito (see bleed_model.h) of the stroke's first 60 ms, with the drum's picture there
// as loud as fits best against without it, by window and band; 0 and up. -1: the drum is not in the
// model, or no microphone stands at it. Pure; spreads over cores.
std::vector<double> neededStrokes(const LearntKit& kit, std::span<const SupposedStroke> strokes);

}  // namespace ember
