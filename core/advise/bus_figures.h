// The figures that advice on buses foretells and measures, read from a mix as it was heard.
#pragma once

#include "core/advise/bus_heard.h"
#include "core/measure/strokes/stroke_figures.h"

#include <string>
#include <string_view>
#include <vector>

namespace ember {

inline constexpr double kKickLows = 150.0;                // Hz, below: where a kick stands
inline constexpr double kLowFrom = 40.0, kLowTo = 120.0;  // Hz, the low end that nothing may cost

// Accents and normal strokes. Everything here is pure.
bool isFullStroke(const Stroke& stroke);
// When the full strokes of a drum (empty: of all) fall, seconds from the stretch's begin; and those
// by which a mix is felt to hit: kick and snare, where there are any.
std::vector<double> timesOf(const BusHeard& heard, std::string_view drum);
std::vector<double> hits(const BusHeard& heard);
// Medians of crest and of attack against body over strokes at `times`; two channels.
StrokeFigures usualStrokeOf(const AudioBuffer& audio, const std::vector<double>& times);
// dB by which each stroke's first 150 ms are softer behind a stage.
std::vector<double> takenAt(const AudioBuffer& before, const AudioBuffer& after,
                            const std::vector<double>& times);
// A sentence: which drum drives a compressor that lifts by `makeUp` dB afterwards, and how every
// drum stands to the others behind it.
std::string whoDrives(const Session& session, const BusHeard& heard, const AudioBuffer& before,
                      const AudioBuffer& after, double makeUp);
// Of the middle between two frequencies; dBFS.
double middleDb(const AudioBuffer& audio, double from = kLowFrom, double to = kLowTo);
// By how much all of it is softer on one loudspeaker, (L+R)/2 against the power of both; dB, 0 for
// silence.
double monoCostDb(const AudioBuffer& audio);
// What a row brings to the sides of the kick, against the middle of the bus it comes into; dB.
double broughtDb(const AudioBuffer& row, const AudioBuffer& bus, const std::vector<double>& times);
AudioBuffer silenceLike(const AudioBuffer& audio);
// What rows send to a bus, all behind their faders and at 0 dB.
AudioBuffer sentTo(const Session& session, const BusHeard& heard, const std::string& bus);

}  // namespace ember
