// The parts of a finished song: where it changes, which parts are alike, and what is struck in
// each.
#pragma once

#include "core/base/progress.h"
#include "core/session/stroke.h"

#include <span>
#include <string>
#include <vector>

namespace ember {

// Where a drum is struck in the usual bar of a part.
struct SectionDrum {
    std::string drum;         // "kick", "snare", "hihat"
    std::vector<int> places;  // of kPlacesABeat a beat, from 0 at the bar line, rising
    bool operator==(const SectionDrum&) const = default;
};
inline constexpr int kPlacesABeat = 4;

struct SongSection {
    std::string name;                // "A", "B": parts of one name are alike
    double from = 0.0, to = 0.0;     // seconds from the first sample
    int firstBar = 0, bars = 0;      // among the bar lines, from 0
    std::vector<SectionDrum> drums;  // struck in half of its bars and more; those of one name alike
};

// Every bar is told by what is struck in it and by how its sound lies over the octaves. It changes
// where the bars before and behind are less alike than each are among themselves (a checkerboard
// along the diagonal of their distances: Foote, "Automatic audio segmentation using a measure of
// audio novelty", ICME 2000), four bars at least from one change to the next; parts that lie near
// each other get one name. `barLines` rise, `beats` a bar. One or two channels of equal length.
// Pure; any thread; throws Cancelled.
std::vector<SongSection> songSections(std::span<const std::span<const float>> channels,
                                      double sampleRate, const std::vector<double>& barLines,
                                      int beats, const std::vector<Stroke>& strokes,
                                      const Progress& progress = {});

// "1, 2&, 3": places in words. Pure.
std::string placesText(const std::vector<int>& places);

}  // namespace ember
