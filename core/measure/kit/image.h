// Where the drums stand in the pair that hears the whole kit.
#pragma once

#include "core/measure/strokes/strokes.h"

#include <string>
#include <vector>

namespace ember {

struct DrumImage {
    std::string drum;
    std::string pair;     // the stereo element it was read from
    double pan = 0.0;     // -1 (left) .. 1 (right): where a pan of constant power puts it to match
    double spread = 0.0;  // half the span between the quartiles over strokes, in pan
    int strokes = 0;
    bool operator==(const DrumImage&) const = default;
};

// From the energy of the two sides in the first 20 ms of each drum's clear strokes, in the
// overheads (else a stereo whole-kit file, else a stereo room). The pan t is that of a
// constant-power law: tan((t + 1) pi / 4) = right / left in amplitude. Empty without a stereo pair.
// Pure; any thread.
std::vector<DrumImage> measureImage(const KitMics& kit, const KitStrokes& strokes);

}  // namespace ember
