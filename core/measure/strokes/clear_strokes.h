// Which strokes to measure a drum on: loud, and alone.
#pragma once

#include "core/measure/strokes/strokes.h"

#include <vector>

namespace ember {

struct ClearStroke {
    Stroke stroke;
    double alone = 0.0;  // seconds until the next stroke of anything
};

// Up to `most` strokes of the drum, spread over the song, no more than 10 dB under its accents and
// with no other drum struck in the 15 ms around. Where fewer than `few` stand alone, company is
// accepted.
std::vector<ClearStroke> clearStrokes(const KitStrokes& all, const std::string& drum,
                                      std::size_t most = 48, std::size_t few = 4);

// Place in kit.mics of an element, or -1.
int micIndex(const KitMics& kit, const std::string& id);
// Place in kit.mics where a drum is timed: its own microphone, else the overheads, a whole-kit
// file, a room. -1: none.
int timingMic(const KitMics& kit, const KitDrum& drum);
// The louder channel of a microphone over these strokes.
std::size_t louderChannel(const KitMics& kit, int mic, const std::vector<ClearStroke>& strokes);

}  // namespace ember
