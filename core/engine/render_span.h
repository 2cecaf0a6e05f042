// The stretch of a song that is rendered.
#pragma once

#include "core/base/error.h"
#include "core/dsp/processor.h"
#include "core/engine/render.h"

#include <algorithm>
#include <cmath>
#include <string>

namespace ember {

// Where playing begins so that what rings and presses is as if from the beginning, seconds before.
inline constexpr double kWarmUp = 10.0;

struct SongSpan {
    Frames from = 0, to = 0;

    // The block at which playing begins to be warm at `from`.
    [[nodiscard]] Frames begin(double rate) const {
        return std::max<Frames>(0, from - static_cast<Frames>(kWarmUp * rate)) / kBlock * kBlock;
    }
};

// Throws Error where there is nothing between the times that are asked for.
inline SongSpan spanOf(const RenderOptions& o, double rate, Frames length) {
    const auto frames = [&](double seconds) {
        return static_cast<Frames>(std::llround(seconds * rate));
    };
    const SongSpan span{std::max<Frames>(0, frames(o.from)),
                        o.to < 0.0 ? length : std::min(length, frames(o.to))};
    if (span.from >= span.to)
        throw Error("There is nothing to render between the given times; the song lasts " +
                    std::to_string(static_cast<double>(length) / rate) + " s.");
    return span;
}

}  // namespace ember
