#include "core/measure/level_peaks.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace ember {

std::vector<LevelPeak> levelPeaks(const std::vector<float>& peaks, double secondsPerBlock, double riseDb, double floorDb) {
    const auto look = static_cast<int>(std::ceil(0.030 / secondsPerBlock)), apart = static_cast<int>(std::ceil(0.025 / secondsPerBlock));
    const auto rise = static_cast<float>(gainFromDb(riseDb)), floor = static_cast<float>(gainFromDb(floorDb));
    std::vector<LevelPeak> out;
    const auto count = static_cast<int>(peaks.size());
    for (int i = 0; i < count; ++i) {
        const float level = peaks[static_cast<std::size_t>(i)];
        if (level < floor) continue;
        const auto from = peaks.begin() + std::max(0, i - look), here = peaks.begin() + i;
        if (from != here && level < rise * *std::min_element(from, here)) continue;
        // The stroke's own loudest block follows within the distance that strokes keep.
        const auto top = std::max_element(here, peaks.begin() + std::min(count, i + apart));
        const auto block = static_cast<int>(top - peaks.begin());
        if (!out.empty() && block - out.back().block < apart) {
            if (*top > out.back().level) out.back() = {block, *top};
        } else {
            out.push_back({block, *top});
        }
        i = block;
    }
    return out;
}

}  // namespace ember
