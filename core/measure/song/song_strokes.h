// Kick, snare and hat of a finished song: strokes under bass, chords and voices, where no
// microphone stands at any drum.
//
// Moments at which bands rise together (after Böck & Widmer, "Maximum filter vibrato suppression
// for onset detection", DAFx-13, 2013: a rise is held against the neighbours' past too, so that a
// voice that slides is none), each looked at by a small network (one hidden layer) that was fitted
// on made-up songs (bench/fit_song.cpp prints its weights). It is less sure than the hearing of a
// recorded kit, and says so by stroke.
#pragma once

#include "core/base/progress.h"
#include "core/session/stroke.h"

#include <array>
#include <cstddef>
#include <span>
#include <vector>

namespace ember {

// What the network looks at: levels of bands around the moment, against what is usual for them in
// this song, and how far it lies to the sides.
inline constexpr std::size_t kSongBands = 16, kSongSteps = 8, kSongSides = 8;
inline constexpr std::size_t kSongInputs = kSongBands * kSongSteps + kSongSides, kSongHidden = 20,
                             kSongDrums = 3;  // kick, snare, hat

struct SongMoment {
    double time = 0.0;  // seconds from the first sample
    std::array<float, kSongInputs> x{};
};
// Everything that rises. One or two channels of equal length, at any rate. Pure; any thread.
std::vector<SongMoment> songMoments(std::span<const std::span<const float>> channels,
                                    double sampleRate, const Progress& progress = {});
// How likely each drum was struck at a moment, 0..1. Pure.
std::array<double, kSongDrums> songLikely(const SongMoment& moment);

// Kick ("kick"), snare ("snare") and hat ("hihat") strokes in order of time, seconds from the first
// sample, with levels against the drum's own accents, kinds by rule and how sure each is.
// Deterministic; any thread; throws Cancelled.
std::vector<Stroke> findSongStrokes(std::span<const std::span<const float>> channels,
                                    double sampleRate, const Progress& progress = {});

}  // namespace ember
