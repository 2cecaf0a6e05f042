// What feeds a bus, as it comes there.
#pragma once

#include "core/engine/render.h"

#include <span>
#include <string>
#include <vector>

namespace ember {

// Rows whose bus it is, each at its fader, over [from, to) seconds of song time, kLongestCompared
// at most; `to` < 0: that long. Throws as renderRows() does.
std::vector<RowAudio> busMembers(const Session& session, AudioStore& store, const std::string& bus,
                                 bool withGuests, double from, double to,
                                 const Progress& progress = {});
// A bus or the main. Throws Error for any other row, and for one that is not there.
const Row& requireBus(const Session& session, const std::string& bus);
// The largest sample of any side, dBFS.
double samplePeakDb(const AudioBuffer& audio);
// Both sides together, half of each.
std::vector<float> sidesMixed(const AudioBuffer& audio);

// Peak of a stroke's attack, dBFS, in audio that begins at `from` seconds: that under which `part`
// (0..1) of the strokes lie. Strokes in seconds of song time; -150 without any.
double strokePeakDb(const AudioBuffer& audio, double from, std::span<const double> strokes,
                    double part);
// The part that stands for the loudest.
inline constexpr double kLoudestPart = 0.95;

}  // namespace ember
