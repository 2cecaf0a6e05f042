// The spectrum of a bus or of the main against a line of one's own: what crosses it and when; and
// how much builds up where the ear is most sensitive.
//
// Read in thirds of an octave (IEC 61260-1) of Hann windows that overlap by half, averaged by an
// exponential of the stated time constant and lifted by the stated slope. The ear hears best
// between 2 and 5 kHz (ISO 226): what lies there is held against the bands on both sides.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

struct Crossing {
    double hertz = 0.0;     // centre of the band
    int times = 0;          // how often it rises over the line
    double share = 0.0;     // of the time that it is over it, 0..1
    double overDb = 0.0;    // at most
    double at = 0.0;        // seconds of song time of that
    std::string row;        // who has most of the band then; empty: nobody by itself
    double rowShare = 0.0;  // of the members' power there, 0..1
};
// What stands between 2 and 5 kHz, a third of an octave there against one beside.
struct EarRegion {
    double usualDb = 0.0;  // over 1 to 2 and 5 to 10 kHz, median over what sounds
    double mostDb = 0.0;   // the same of one moment in twenty
    double at = 0.0;       // seconds of song time of the strongest of them
    std::string row;       // who has most of it over all
    double rowShare = 0.0;
};
// From here on it is said to build up, usually.
inline constexpr double kEarBuildsUpDb = 3.0;

struct CeilingCheck {
    std::string bus;
    std::vector<double> hertz, usual, most;  // bands; median and largest level, dB, with the slope
    std::vector<Crossing> crossings;         // furthest over first; empty without a line
    EarRegion ear;
};

// What was read, before it is held against a line.
struct Spectra {
    using Frames = std::vector<std::vector<double>>;  // power of every band, frame after frame
    std::string bus;
    std::vector<double> hertz;      // centres of the bands
    double from = 0.0, step = 0.0;  // seconds: of the song, and between frames
    Frames sum;
    struct Member {
        std::string row;
        Frames bands;
    };
    std::vector<Member> members;  // elements and guests that are heard in it
};

// What the bus (or the main, with guests) gives over [from, to) seconds of song time, `to` < 0:
// half a minute, by the window and averaging of the session's line, or the usual ones. Any thread;
// throws Error for rows that are no bus, where nothing sounds, and Cancelled.
Spectra readSpectra(const Session& session, AudioStore& store, const std::string& bus, double from,
                    double to, const Progress& progress = {});
// Held against the session's line. Pure.
CeilingCheck checkCeiling(const Session& session, const Spectra& spectra);
// A sentence each. Pure.
std::vector<std::string> ceilingText(const Session& session, const CeilingCheck& found);
// A line `roomDb` over the largest that was found, a point an octave.
Ceiling ceilingOver(const CeilingCheck& found, const Ceiling& readBy, double roomDb);

}  // namespace ember
