// The strokes that a drum's sound is read from.
#pragma once

#include "core/measure/separate/bleed_model.h"
#include "core/measure/strokes/clear_strokes.h"

#include <vector>

namespace ember {

struct ToneMaterial {
    double rate = 48000.0;
    DrumFamily family = DrumFamily::percussion;
    // Each from its first sample until the drum's next stroke, 1.2 seconds at most.
    std::vector<std::vector<float>> strokes;
    std::vector<std::vector<float>> before;  // what was heard before each, RingMaterial::kBefore
    std::vector<std::size_t> quiet;          // samples of each until another head is struck
    std::vector<double> levelsDb;
};

// Of one drum in one microphone (a place in kit.mics): as that hears it, or, with a model that
// takes the drum out of its own microphone, the drum alone. Pure.
ToneMaterial toneMaterial(const KitMics& kit, const KitStrokes& all, const KitDrum& drum, int mic,
                          const std::vector<ClearStroke>& clear, const BleedModel* model);

// Strokes as long as no other head is struck, where that is `least` seconds or more; whole ones
// where that leaves hardly any.
std::vector<std::vector<float>> undisturbed(const ToneMaterial& material, double least);

}  // namespace ember
