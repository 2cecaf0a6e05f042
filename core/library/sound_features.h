// What a one-shot sounds like, in figures: to search by, to rank by, and to find what is like it.
#pragma once

#include <array>
#include <span>
#include <string_view>
#include <vector>

namespace ember {

// Twelve bands an octave from 40 Hz to 16 kHz, in four stretches of the sound from its first rise
// on: to 12 ms, to 50 ms, to 0.2 s, to 0.8 s.
inline constexpr int kSoundBands = 104, kSoundStretches = 4;

// What was done to a sound before: cut off at the top, its crest flattened, put into a room.
enum class SoundHint { none, clipped, pressed, reverberant };
// "clipped"; empty for none.
std::string_view toString(SoundHint hint);

struct SoundFeatures {
    // Level of each band in dB against the loudest of its stretch, -60 at least.
    std::array<std::array<float, kSoundBands>, kSoundStretches> picture{};
    // Level of each stretch against the first, dB, -60 at least: how it dies away.
    std::array<float, kSoundStretches> course{};
    double seconds = 0.0;         // of sound, from its first rise
    double attackMs = 0.0;        // from 10 to 90 % of its highest level
    double decayMs = 0.0;         // from there to 20 dB below
    double fundamentalHz = 0.0;   // loudest partial between 40 and 1000 Hz; 0: none stands out
    double sweepSemitones = 0.0;  // how far that glides down, first to third stretch
    double brightnessHz = 0.0;    // centroid of the power
    double noisiness = 0.0;       // 0 a tone, 1 noise: flatness of the spectrum
    double attackToBodyDb = 0.0;  // first 30 ms against the rest of 300 ms
    double peakDb = -150.0;       // dBFS
    double crestDb = 0.0;         // of the first 0.25 s
    SoundHint hint = SoundHint::none;
};

// One channel, of any length; silence gives the defaults. Pure; any thread.
SoundFeatures soundFeatures(std::span<const float> samples, double sampleRate);

// How unlike two sounds are, 0 and more: the difference of their pictures in dB over bands and
// stretches, without level and without what a shelf of a few dB would explain, and of their course.
// Pure.
double soundDistance(const SoundFeatures& a, const SoundFeatures& b);
// The features of a sound at its own pitch and at all others up to five semitones away, in halves.
std::vector<SoundFeatures> transposedFeatures(std::span<const float> samples, double sampleRate);
// The least of theirs.
double soundDistance(std::span<const SoundFeatures> transposed, const SoundFeatures& other);

}  // namespace ember
