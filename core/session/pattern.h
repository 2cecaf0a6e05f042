// A pattern: notes that are programmed, by their place in the song's time.
#pragma once

#include "core/session/time_map.h"

#include <cstdint>
#include <string>
#include <vector>

namespace ember {

struct Note {
    std::int64_t tick = 0;    // from bar 1, not below 0
    std::int64_t length = 0;  // ticks; 0: it rings as long as it does
    std::string drum;         // id of the drum: "kick", "floor-tom"
    double velocity = 0.7;    // 0..1
    int articulation = 0;     // which way it is struck; 0: the usual one
    int key = -1;             // the MIDI key it came as, 0 to 127; -1: none
    std::string extra = {};   // unknown fields of the file, kept (JSON object text)
    bool operator==(const Note&) const = default;
};

inline constexpr int kUsualPulses = 960, kMostPulses = 1'000'000;

struct Pattern {
    int pulses = kUsualPulses;  // ticks a quarter note, 1 to kMostPulses
    std::vector<Note> notes;    // by tick
    bool operator==(const Pattern&) const = default;
};

// What a MIDI key strikes, where it is not the usual thing.
struct KeyMapping {
    int key = 0;       // 0..127
    std::string drum;  // id; empty: nothing
    int articulation = 0;
    bool operator==(const KeyMapping&) const = default;
};
// What a key strikes by General MIDI ("kick", "rack-tom"; an open hat, a cross-stick and a bell are
// articulation 1); keys beyond have a drum of their own.
KeyMapping usualMapping(int key);
// The other way round: the key for a drum and a way of striking it.
int usualKey(std::string_view drum, int articulation = 0);

double secondsOf(const Pattern& pattern, const Note& note, const TimeMap& time);

// The notes in order: by tick, those of one tick as they were.
Pattern inOrder(Pattern pattern);
// The same notes at another resolution; exact where that is a multiple, rounded elsewhere. Throws
// Error out of range.
Pattern withPulses(Pattern pattern, int pulses);
// Both together, at a resolution in which every note keeps its place where there is one.
Pattern together(const Pattern& a, const Pattern& b);

// A stroke that was played by hand.
struct Played {
    double time = 0.0;  // seconds of the song
    std::string drum;
    double velocity = 0.9;  // 0..1
    int articulation = 0;
    bool operator==(const Played&) const = default;
};
// As notes where they were played, by ticks finer than a frame; what came before bar 1 is left out.
Pattern takeOf(const std::vector<Played>& played, const TimeMap& time);

// How humanised notes stray: at random by a normal law, never beyond the limits. The same seed
// gives the same notes.
struct Humanise {
    double timingMs = 8.0;   // most by which a note moves, either way; 0 to 100
    double velocity = 0.08;  // most by which its velocity changes, either way; 0 to 1
    std::uint64_t seed = 1;
};
Pattern humanised(Pattern pattern, const TimeMap& time, const Humanise& how);

// Notes further than `limitMs` from the grid of `perQuarter` steps a quarter note move towards it
// by `share` (0..1) of what they are off; all others stay as they are. The number of those that
// moved.
int correctOutliers(Pattern& pattern, const TimeMap& time, int perQuarter, double limitMs,
                    double share);

// What strikes one about the notes, a sentence each: equal velocities, everything on the grid.
std::vector<std::string> noticed(const Pattern& pattern, const TimeMap& time);

}  // namespace ember
