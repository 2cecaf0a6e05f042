// The song's time: which second holds which beat, with tempi and metres that may change on the way.
//
// Places are counted in quarter notes from bar 1 (negative before it); bars from 0. A tempo holds
// from its quarter on until the next one; before bar 1 the first tempo and metre go on backwards.
// Every function is pure, and walks along the changes: a song has hundreds of them at most.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace ember {

inline constexpr double kSlowestTempo = 20.0, kFastestTempo = 400.0;  // quarter notes a minute

struct TempoChange {
    double quarter = 0.0;  // from here on; the first one's is 0
    double bpm = 120.0;    // quarter notes a minute, kSlowestTempo to kFastestTempo
    bool operator==(const TempoChange&) const = default;
};

struct MetreChange {
    int bar = 0;    // from this bar on; the first one's is 0
    int beats = 4;  // 1 to 32
    int unit = 4;   // 1, 2, 4, 8, 16 or 32: a beat is one of so many to a whole note
    bool operator==(const MetreChange&) const = default;
};

struct TimeMap {
    double start = 0.0;  // seconds of song time at which bar 1 begins
    std::vector<TempoChange> tempos{{}};
    std::vector<MetreChange> metres{{}};
    bool operator==(const TimeMap&) const = default;
};

// A tempo and a metre for the whole song.
TimeMap steadyTime(double bpm, double start = 0.0, int beats = 4, int unit = 4);
// One sentence naming what is wrong with a map (nothing in it, out of range or order); empty when
// sound. All others take a sound one.
std::string problemIn(const TimeMap& map);

double quarterAt(const TimeMap& map, double seconds);
double secondsAt(const TimeMap& map, double quarter);
double tempoAt(const TimeMap& map, double seconds);
const MetreChange& metreAt(const TimeMap& map, int bar);

// Where bars begin, in quarters and in seconds; any bar, also before the first.
double quarterOfBar(const TimeMap& map, int bar);
double secondsOfBar(const TimeMap& map, int bar);
// The bar that holds a second; what lies within a microsecond before a bar line belongs to the bar.
int barAt(const TimeMap& map, double seconds);

// Bars and beats as people count: the second of beat `beat` (from 0) of a bar, and back.
struct BarPlace {
    int bar = 0;        // from 0
    double beat = 0.0;  // from 0, in beats of the bar's own unit
};
BarPlace placeAt(const TimeMap& map, double seconds);
double secondsAt(const TimeMap& map, const BarPlace& place);
// The same moment a number of bars or beats later (or earlier); the place in the bar stays.
double barsLater(const TimeMap& map, double seconds, int bars);
double beatsLater(const TimeMap& map, double seconds, int beats);
// The beat nearest to a second, and the first one at or after it.
double nearestBeat(const TimeMap& map, double seconds);
double nextBeat(const TimeMap& map, double seconds);

// The map with another tempo from a bar on, until the next change; from bar 0 with nothing behind
// it, for the whole song. Throws Error out of range.
TimeMap withTempoFrom(TimeMap map, int bar, double bpm);
// The map with another metre from a bar on; tempi stay at their quarters. Throws Error out of
// range.
TimeMap withMetreFrom(TimeMap map, int bar, int beats, int unit);
// The map without the changes of tempo and metre at a bar, which is not the first.
TimeMap withoutChangesAt(TimeMap map, int bar);
// A tempo for every bar, so that bars begin at these seconds, which rise; `metre` for all. The last
// tempo goes on. Throws Error for fewer than two and where a tempo would be out of range.
TimeMap throughBars(const std::vector<double>& bars, const MetreChange& metre);

// The same bars and beats in a file that begins with second 0 and bar 0: bar 1, or the first bar at
// or after 0, begins when it does here, and the time before it is whole bars and a rest, at a tempo
// that makes them fit. Where it begins less than an eighth after 0, that is so of the next bar.
TimeMap fromZero(const TimeMap& map);

// The map as one word, the same for equal maps and no others: for keys of caches.
std::string timeKey(const TimeMap& map);
// "120 bpm", "112.5 to 121.3 bpm"; "4/4", "4/4 and 7/8".
std::string tempoText(const TimeMap& map);
std::string metreText(const TimeMap& map);
// "7/8". Throws Error for anything else.
MetreChange metreFrom(std::string_view text);

}  // namespace ember
