// Strokes that stand for their drum: what advice is tried on before it is given.
#pragma once

#include <vector>

namespace ember {

// Attack against body is all that is read from them, and advice is given anew with every edit: half
// the usual rate will do.
inline constexpr double kTypicalRate = 24000.0;  // Hz

// Of these strokes (each from its first sample until the drum's next one) the three whose attack
// against body lies nearest to the median, at kTypicalRate and no longer than kStrokeSeconds
// (stroke_figures.h); nearest first, fewer where there are fewer. Pure; any thread.
std::vector<std::vector<float>> typicalStrokes(const std::vector<std::vector<float>>& strokes,
                                               double sampleRate);

}  // namespace ember
