// What the buses of a mix are given and give, over its fullest stretch: what advice on them is read
// from, and proved by.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/engine/render.h"
#include "core/session/session.h"

#include <span>
#include <string_view>
#include <vector>

namespace ember {

struct BusHeard {
    double from = 0.0, to = 0.0;  // seconds of song time
    std::vector<RowAudio> rows;   // every row of the mix at its fader, without guests
    std::vector<Stroke> strokes;  // struck or programmed within, in order; times from `from` on
};

inline constexpr double kLongestHeard = 16.0;  // seconds
// Where the stretch of that length begins in which most is struck, all drums counted before many
// strokes; seconds. Pure.
double fullestFrom(const std::vector<Stroke>& strokes);
// At most kLongestHeard of the song, where most is struck. `strokes` as heard. Any thread; throws
// Error or Cancelled.
BusHeard hearBuses(const Session& session, AudioStore& store, const std::vector<Stroke>& strokes,
                   const Progress& progress = {});

// Null when the row is no part of the mix.
const AudioBuffer* audioOf(const BusHeard& heard, std::string_view row);
// Adds another at a gain; both two channels. The sum grows to the longer one.
void addTo(AudioBuffer& sum, const AudioBuffer& other, double gain = 1.0);
// What a stage with these values, or the stages of a chain that are on without its seat, make of
// two channels, without their latency. Not real-time safe.
AudioBuffer throughStage(std::string_view type, std::span<const double> values,
                         const AudioBuffer& in);
AudioBuffer throughChain(std::span<const Stage> chain, const AudioBuffer& in);
// What a bus makes of its input, its fader included. What listens to other rows listens to itself.
AudioBuffer throughBus(const Row& bus, const AudioBuffer& in);

// LUFS, integrated; -150 for silence.
double loudnessOf(const AudioBuffer& audio);
// Mean squares of the middle and of the sides between two frequencies, over everything or the 170
// ms after each of `times` (seconds).
struct Halves {
    double middle = 0.0, sides = 0.0;
};
Halves halvesOf(const AudioBuffer& audio, double fromHertz, double toHertz,
                std::span<const double> times = {});
// The sides against the middle, dB; -150 where they are silent.
double sidesDb(const Halves& halves);

}  // namespace ember
