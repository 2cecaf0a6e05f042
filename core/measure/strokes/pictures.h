// What each drum looks like over all microphones and bands, learnt from the recording itself.
#pragma once

#include "core/base/progress.h"
#include "core/measure/strokes/scene.h"

#include <vector>

namespace ember {

struct Template {
    int drum = 0;
    Picture picture;
    bool learnt = true;  // from clear strokes; otherwise it starts as a guess and is adapted
    Picture guess;       // where it started; it may not wander far
};

// Clear strokes first, then once more from what the first pictures call clear; drums without a
// microphone start from a guess. Deterministic; spreads over cores.
std::vector<Template> learnPictures(const Scene& scene, const Progress& progress);

// Strengths of the templates in one picture, by multiplicative updates. `strengths` is the start.
void fit(const Picture& x, const std::vector<Template>& templates, std::vector<float>& strengths,
         int iterations);
// Of all events of a scene.
std::vector<std::vector<float>> fitAll(const Scene& scene, const std::vector<Template>& templates);
// Kullback-Leibler divergence of a picture from its model; unknown bands do not count.
double divergence(const Picture& x, const std::vector<Template>& templates,
                  const std::vector<float>& strengths);

}  // namespace ember
