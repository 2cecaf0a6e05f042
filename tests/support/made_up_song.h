// Finished songs whose drums are known: a kit of one of the two worlds under bass, chords and a
// voice, pressed together into two channels.
#pragma once

#include "core/session/stroke.h"
#include "tests/support/worlds.h"

#include <utility>
#include <vector>

namespace ember::test {

struct MadeUpSong {
    double rate = 48000.0, tempo = 120.0, firstBar = 0.0;  // Hz, BPM, seconds
    std::vector<float> left, right;
    // Kick, snare and the rest as they are struck, in order of time.
    std::vector<Stroke> strokes;
    // Seconds in which nothing but drums sounds, and in which no drum does.
    std::pair<double, double> bare{}, still{};
};

// Song `number` of a world and half: kit, tempo, instruments, parts, levels (drums 4 dB under the
// rest to 6 dB over it) and how hard it is pressed follow from those. Two bars are bare, two still.
MadeUpSong madeUpSong(World world, Half half, int number, double seconds = 40.0);

}  // namespace ember::test
