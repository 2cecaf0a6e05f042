// Cymbals and hats as one dense bank of modes that rings on from stroke to stroke.
#pragma once

#include "demo/kit.h"

namespace ember::demo {

// The whole song of one cymbal at one metre. Strokes of other drums are ignored.
std::vector<float> ringCymbal(Drum drum, const Kit& kit, const std::vector<Stroke>& strokes,
                              const KitOptions& options);

}  // namespace ember::demo
