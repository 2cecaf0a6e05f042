// When the strokes fall: tempo and bar line, and how far each drum strays from the grid.
#pragma once

#include "core/session/stroke.h"

#include <string>
#include <vector>

namespace ember {

struct DrumTiming {
    std::string drum;
    int strokes = 0;
    double offsetMs = 0.0;  // median distance from the nearest sixteenth; negative: ahead of it
    double spreadMs = 0.0;  // half the span between the 16th and 84th percentile
    bool operator==(const DrumTiming&) const = default;
};

struct DriftPoint {
    double time = 0.0;      // seconds
    double offsetMs = 0.0;  // median distance of the strokes around it from the grid
    bool operator==(const DriftPoint&) const = default;
};

struct KitTiming {
    double bpm = 0.0;         // 0: too few strokes
    double confidence = 0.0;  // 0..1, share of strokes within a thirty-second of a beat of the grid
    double firstBar = 0.0;    // seconds; a bar begins here, at or after the first stroke's bar
    double barConfidence = 0.0;  // 0..1, how far the best beat for "one" stands above the next
    std::vector<double> alternatives;  // half and double, where they are playable tempi
    std::vector<DrumTiming> drums;
    std::vector<DriftPoint> drift;  // one a bar
    bool operator==(const KitTiming&) const = default;
};

// From the strokes alone. `bpmHint` is the tempo to begin from (what the rises of the waveforms
// suggest, or what a person typed); it is refined by least squares over a span that grows from
// eight beats to the whole song, so that no beat is miscounted on the way. The bar line is the beat
// on which kicks and crashes fall and from which snares keep away. Pure.
KitTiming measureTiming(const std::vector<Stroke>& strokes, double bpmHint, int beatsPerBar);

}  // namespace ember
