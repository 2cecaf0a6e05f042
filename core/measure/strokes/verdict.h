// Is it a stroke? The evidence of one drum in one event, weighed.
//
// Logistic regression (Cox, J. R. Stat. Soc. B 20(2), 1958) on features that are all relative to
// this very recording: levels against the drum's own loud strokes, bleed against the bleed learnt
// here. The weights are fitted on simulated kits whose tuning, damping, microphones, rooms,
// tempi and noise are drawn at random (bench/fit_strokes.cpp prints the table).
#pragma once

#include "core/measure/strokes/attribution.h"

#include <span>
#include <vector>

namespace ember {

// How a drum is heard: by a microphone of its own, over the kit while kick and snare have theirs,
// the same while another one of its family has (the cymbals beside a ride's microphone) or cymbals
// while more than kick and snare have, or over the kit as everything is.
enum class Heard { close, beside, rest, whole };
Heard heardHow(const KitMics& kit, int drum);

// What the verdict looks at. Empty when the share cannot be a stroke (no attack where it must be).
std::vector<double> strokeFeatures(const Share& share, DrumFamily family, Heard heard);
// Weights of strokeFeatures() for a family of drums.
std::span<const double> strokeWeights(DrumFamily family, Heard heard);
// Log-odds that this is a stroke of the share's drum; above 0 more likely than not. -100: no
// attack.
double strokeLogOdds(const Share& share, DrumFamily family, Heard heard);

// The second look (supposed.h): the same with what a kit that was taken apart says of it; `needed`
// as neededStrokes() gives it. Heads alone are looked at again: what rings and shimmers is
// explained by anything that rings.
bool isLookedAtAgain(DrumFamily family);
std::vector<double> secondFeatures(double logOdds, double needed);
double secondLogOdds(double logOdds, double needed, DrumFamily family);

}  // namespace ember
