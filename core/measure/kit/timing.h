// When the strokes fall: tempo and bar line, and how far each drum strays from the grid.
#pragma once

#include "core/session/stroke.h"
#include "core/session/time_map.h"

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

// From the strokes alone. The first tempo of `time` is the one to begin from (what the rises of the
// waveforms suggest, or what a person typed); it is refined by least squares over a span that grows
// from eight beats to the whole song, so that no beat is miscounted on the way. The bar line is
// found by findBarLine in the first metre. Where `time` changes on its way, drums and drift are
// told against it, and the steady tempo stays what it is: the best one without changes. Pure.
KitTiming measureTiming(const std::vector<Stroke>& strokes, const TimeMap& time);

// A time that goes along with a drummer who plays without a click: a tempo for every bar of the
// metre that `time` begins with, near its first tempo. Beats are the best path through all places
// and lengths of a beat, each within a quarter of that tempo, whose strokes fall on sixteenths, the
// more on the beat itself, and whose length changes little from one to the next (dynamic
// programming over place and tempo together, after Krebs, Böck & Widmer 2015); bar lines are then
// set between the strokes around them. Throws Error where there are too few strokes. Pure.
TimeMap followStrokes(const std::vector<Stroke>& strokes, const TimeMap& time);

}  // namespace ember
