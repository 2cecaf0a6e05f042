// Where in a finished song nothing but drums sounds, and how loud its drums stand to each other.
#pragma once

#include "core/base/progress.h"
#include "core/session/stroke.h"

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

// Bars in a row in which nothing but drums sounds, seconds from the first sample.
struct BareBars {
    double from = 0.0, to = 0.0;
    int bars = 0;
    double sure = 0.0;  // 0..1
};

// `barLines` rise; a bar lies between two of them. What holds on in narrow bands is taken for tones
// and what is short and wide for strokes (median filters along time and frequency, FitzGerald,
// "Harmonic/percussive separation using median filtering", DAFx-10, 2010), 80 Hz to 4 kHz. A
// bar is bare where much less of it holds on than of the song's usual bar, or its strokes stand
// much further over what lies between them, and it is struck at least twice. The longest first. One
// or two channels of equal length. Pure; any thread; throws Cancelled.
std::vector<BareBars> bareBars(std::span<const std::span<const float>> channels, double sampleRate,
                               const std::vector<double>& barLines,
                               const std::vector<Stroke>& strokes, const Progress& progress = {});

// What a stroke at a second adds to the bands its drum is known by, dB; nothing where it adds
// nothing or the drum ("kick", "snare", "hihat") is none of these. Pure.
std::optional<double> strokeAddsDb(std::span<const std::span<const float>> channels,
                                   double sampleRate, double time, std::string_view drum);

// How loud a drum stands in a song: what its strokes add to the bands it is known by (kick 40 to
// 160 Hz, snare 160 Hz to 4 kHz, hat above 7 kHz), the median over its strokes.
struct DrumStands {
    std::string drum;  // "kick", "snare", "hihat"
    int strokes = 0;   // that were read, ghost notes left out
    double db = 0.0;   // against the mean of those drums that were read
};
// Strokes at which a kick or a snare is struck too are not read. Drums of which fewer than four
// strokes can be read are left out. `strokes` in seconds from the first sample. Pure; any thread.
std::vector<DrumStands> drumsStand(std::span<const std::span<const float>> channels,
                                   double sampleRate, const std::vector<Stroke>& strokes);

}  // namespace ember
