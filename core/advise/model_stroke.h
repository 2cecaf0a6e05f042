// A made-up stroke like a drum's, to foretell what a processor will do to the real ones.
#pragma once

#include "core/measure/stroke_figures.h"
#include "core/measure/tone.h"

#include <span>
#include <string_view>
#include <vector>

namespace ember {

// Advice is given anew with every edit, so the model is short and coarse.
inline constexpr double kModelRate = 16000.0;  // Hz

// kStrokeSeconds with a peak of 1: a note that dies away as the drum's does, and above it as much
// of a short click as its attack against body asks for. Pure.
std::vector<float> modelStroke(const DrumTone& tone);

// What a processor with these values makes of the model stroke at each of these peaks (dBFS), each
// one heard alone. Pure; any thread, not real-time safe.
std::vector<StrokeFigures> throughProcessor(const DrumTone& tone, std::string_view type,
                                            std::span<const double> values,
                                            std::span<const double> peaksDb);

}  // namespace ember
