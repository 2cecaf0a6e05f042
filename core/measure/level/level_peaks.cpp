#include "core/measure/level/level_peaks.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace ember {

std::vector<LevelPeak> levelPeaks(const std::vector<float>& peaks, double secondsPerBlock,
                                  double riseDb, double floorDb) {
    const auto apart = static_cast<int>(std::ceil(0.025 / secondsPerBlock)),
               climb = static_cast<int>(std::ceil(0.012 / secondsPerBlock));
    const auto rise = static_cast<float>(gainFromDb(riseDb)),
               floor = static_cast<float>(gainFromDb(floorDb));
    const auto fall = static_cast<float>(gainFromDb(-250.0 * secondsPerBlock));
    std::vector<LevelPeak> out;
    const auto count = static_cast<int>(peaks.size());
    float envelope = 0.0F;
    for (int i = 0; i < count; ++i) {
        const float level = peaks[static_cast<std::size_t>(i)];
        const bool rises = level >= floor && level >= rise * envelope;
        envelope = std::max(level, envelope * fall);
        if (!rises || (!out.empty() && i - out.back().block < apart)) continue;
        // The loudest block of a stroke follows its first within a few milliseconds.
        const auto here = peaks.begin() + i;
        const auto top = std::max_element(here, peaks.begin() + std::min(count, i + climb));
        out.push_back({static_cast<int>(top - peaks.begin()), *top});
        envelope = std::max(envelope, *top);
    }
    return out;
}

}  // namespace ember
