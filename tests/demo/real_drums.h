// What real drums do, as ranges that a believable simulation must fall into.
//
// The ranges are drawn wide around what these sources report; where a source gives no number for
// a row, the range is our reading of its figures and is marked so.
//  [FR]  Fletcher & Rossing, "The Physics of Musical Instruments", 2nd ed., Springer 1998, ch. 18
//        (drums) and 20 (cymbals).
//  [RBZF] Rossing, Bork, Zhao & Fystrom, "Acoustics of snare drums", J. Acoust. Soc. Am. 92(1),
//  1992:
//        lowest coupled modes of a snare drum near 180 and 330 Hz.
//  [D]   Dahl, "Playing the accent: comparing striking velocity and timing in an ostinato rhythm
//        performed by four drummers", Acta Acustica united with Acustica 90, 2004: accents against
//        unaccented strokes, spread of velocity and of timing.
//  [P]   Perrin, Swallowe, Moore & Zietlow, "Normal modes of an 18 inch crash cymbal", Proc. Inst.
//  of
//        Acoustics 28, 2006, and [FR] ch. 20: dense modes from a few hundred Hz, most sound between
//        1 and 10 kHz some tens of milliseconds after the stroke, decay in seconds.
#pragma once

#include "demo/kit.h"

namespace ember::test {

struct Range {
    double low, high;
};

struct RealDrum {
    demo::Drum drum;
    Range strongestHz;  // strongest partial of a stroke                        [FR] [RBZF] [P]
    Range centroidHz;   // of the power spectrum over the first 80 ms of loud strokes  (our reading)
    Range decaySeconds;   // T60 estimated from the fall between -5 and -25 dB      [FR] [P]
    Range crestDb;        // of the first 250 ms of loud strokes                    (our reading)
    Range levelSpreadDb;  // standard deviation of stroke peaks in normal strokes   [D]
};

inline constexpr RealDrum kRealDrums[] = {
    {demo::Drum::kick, {40.0, 90.0}, {50.0, 900.0}, {0.12, 0.9}, {9.0, 24.0}, {0.3, 6.0}},
    {demo::Drum::snare, {140.0, 360.0}, {180.0, 4000.0}, {0.08, 0.8}, {10.0, 26.0}, {0.3, 6.0}},
    {demo::Drum::hat, {1000.0, 14000.0}, {2500.0, 11000.0}, {0.04, 1.6}, {9.0, 26.0}, {0.3, 7.0}},
    {demo::Drum::rackTom, {90.0, 200.0}, {80.0, 900.0}, {0.3, 1.8}, {7.0, 20.0}, {0.3, 6.0}},
    {demo::Drum::floorTom, {55.0, 130.0}, {55.0, 800.0}, {0.3, 2.4}, {7.0, 20.0}, {0.3, 6.0}},
    {demo::Drum::ride, {300.0, 12000.0}, {1500.0, 9000.0}, {0.6, 6.0}, {8.0, 24.0}, {0.3, 6.0}},
    {demo::Drum::crash, {300.0, 12000.0}, {1500.0, 10000.0}, {0.5, 6.0}, {8.0, 24.0}, {0.2, 7.0}},
};

}  // namespace ember::test
