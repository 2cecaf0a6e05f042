// The way from a drum to a microphone: distance, direction, air, early reflections, reverberation.
#pragma once

#include <array>
#include <cstddef>
#include <vector>

namespace ember::demo {

struct Point {
    double x = 0.0, y = 0.0,
           z = 0.0;  // metres; x to the drummer's left-right, y towards the audience, z up
};
double distance(const Point& a, const Point& b);

struct Microphone {
    Point place, aim;       // it looks from place to aim
    double cardioid = 1.0;  // 0 omni, 1 cardioid
};

struct PathOptions {
    double sampleRate = 48000.0;
    Point room{6.2, 7.4, 3.1};  // size; the kit stands near the middle
    double wallLoss = 0.55;     // pressure left after a reflection
    double polarity = 1.0;
    double shade = 0.0;  // 0..1, how much shells and cymbals stand in the way (treble loss)
};

// Adds the direct sound and first reflections of `source` (as heard at 1 m) to `out`.
void addPath(std::vector<float>& out, const std::vector<float>& source, const Point& from,
             const Microphone& mic, const PathOptions& options);

// Late reverberation of a source: eight-line feedback delay network (Jot & Chaigne, AES 90th
// Convention, 1991) with treble absorption; four outputs that share no phase.
std::array<std::vector<float>, 4> reverberate(const std::vector<float>& source, double sampleRate,
                                              double t60);

inline constexpr double kSpeedOfSound = 343.0;  // m/s

}  // namespace ember::demo
