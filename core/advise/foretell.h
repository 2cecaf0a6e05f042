// What a processor will do to a drum, foretold by sending typical strokes of its own through it.
// Answers are remembered (some thousands, process-wide), so that asking again costs next to
// nothing.
#pragma once

#include "core/measure/sound/tone.h"
#include "core/measure/strokes/stroke_figures.h"

#include <span>
#include <string_view>
#include <vector>

namespace ember {

struct HeardStroke {
    StrokeFigures figures;
    double gainDb = 0.0;  // the smallest gain the processor says it applied
};

// The drum's most typical stroke, scaled to each of these peaks (dBFS) and heard alone through a
// processor with these values; nothing where none was measured. Pure; any thread, not real-time
// safe.
std::vector<HeardStroke> throughProcessor(const DrumTone& tone, std::string_view type,
                                          std::span<const double> values,
                                          std::span<const double> peaksDb);

// The threshold at which a compressor with these values otherwise takes `reductionDb` off that
// stroke where it takes most: no detector follows a stroke to its peak, so the static curve does
// not tell. dB, -60 to the peak; the peak where no stroke was measured. Pure.
double thresholdFor(const DrumTone& tone, std::vector<double> values, double peakDb,
                    double reductionDb);

// What it does to the typical strokes as they were recorded: the median of the changes, dB; zeros
// where none was measured. Pure; any thread, not real-time safe.
struct Change {
    double crestDb = 0.0, transientToBodyDb = 0.0;
};
Change changeThrough(const DrumTone& tone, std::string_view type, std::span<const double> values);

}  // namespace ember
