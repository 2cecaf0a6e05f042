// What a processor will do to a drum, foretold by sending typical strokes of its own through it.
#pragma once

#include "core/measure/stroke_figures.h"
#include "core/measure/tone.h"

#include <span>
#include <string_view>
#include <vector>

namespace ember {

// The drum's most typical stroke, scaled to each of these peaks (dBFS) and heard alone through a
// processor with these values; nothing where none was measured. Pure; any thread, not real-time
// safe.
std::vector<StrokeFigures> throughProcessor(const DrumTone& tone, std::string_view type,
                                            std::span<const double> values,
                                            std::span<const double> peaksDb);

// What it does to the typical strokes as they were recorded: the median of the changes, dB; zeros
// where none was measured. Pure; any thread, not real-time safe.
struct Change {
    double crestDb = 0.0, transientToBodyDb = 0.0;
};
Change changeThrough(const DrumTone& tone, std::string_view type, std::span<const double> values);

}  // namespace ember
