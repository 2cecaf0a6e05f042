// Strokes as a level sees them: rises and their peaks. Whose strokes they are is not asked here.
#pragma once

#include <vector>

namespace ember {

struct LevelPeak {
    int block = 0;       // index of the loudest block of the stroke
    float level = 0.0F;  // linear
};

// Peaks that stand at least `riseDb` above an envelope that falls by 250 dB a second from what
// came before (so the waves of one low note are one stroke), at least 25 ms apart, and above
// `floorDb`. `peaks` holds one linear peak a block. Pure.
std::vector<LevelPeak> levelPeaks(const std::vector<float>& peaks, double secondsPerBlock,
                                  double riseDb = 5.0, double floorDb = -60.0);

}  // namespace ember
