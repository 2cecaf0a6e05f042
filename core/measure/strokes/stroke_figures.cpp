#include "core/measure/strokes/stroke_figures.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace ember {

StrokeFigures readStroke(std::span<const std::span<const float>> channels, double rate) {
    const auto early = static_cast<std::size_t>(kAttackSeconds * rate),
               whole = static_cast<std::size_t>(kStrokeSeconds * rate);
    double attack = 1e-20, body = 1e-20, peak = 0.0, counted = 0.0;
    for (const std::span<const float> side : channels) {
        const std::size_t end = std::min(whole, side.size());
        for (std::size_t i = 0; i < end; ++i) {
            const double v = side[i];
            (i < early ? attack : body) += v * v;
            peak = std::max(peak, std::abs(v));
        }
        counted += static_cast<double>(end);
    }
    StrokeFigures out;
    out.energy = attack + body;
    out.peakDb = dbFromGain(peak);
    out.crestDb = 10.0 * std::log10((peak * peak + 1e-20) * std::max(1.0, counted) / out.energy);
    out.transientToBodyDb = 10.0 * std::log10(attack / body);
    return out;
}

StrokeFigures readStroke(std::span<const float> samples, double rate) {
    return readStroke(std::span(&samples, 1), rate);
}

}  // namespace ember
