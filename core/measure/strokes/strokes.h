// Every stroke of a kit: found on all microphones together, given to the drum that was hit, timed,
// weighed and named.
#pragma once

#include "core/measure/kit/kit_mics.h"
#include "core/session/stroke.h"

#include <string>
#include <vector>

namespace ember {

// What a close microphone heard of another drum.
struct BleedMark {
    double time = 0.0;     // seconds, in that microphone
    std::string mic;       // element
    std::string drum;      // who was struck
    double levelDb = 0.0;  // peak above 200 Hz, dBFS
    bool operator==(const BleedMark&) const = default;
};

struct KitStrokes {
    std::vector<Stroke> strokes;   // in order of time
    std::vector<BleedMark> bleed;  // in order of time
    bool operator==(const KitStrokes&) const = default;
};

// Works with full sets, reduced sets, one stereo file and single programmed drums: whatever
// drumsOf() says is there. Deterministic; any thread; throws Cancelled when progress says so.
KitStrokes measureStrokes(const KitMics& kit, const Progress& progress = {});

// The strokes with what a person corrected: what was removed is gone, what was added stands (marked
// byHand), and kinds are told anew for what nobody touched. Pure.
KitStrokes withEdits(KitStrokes measured, const std::vector<StrokeEdit>& edits);

// Strokes of one drum, in order of time.
std::vector<Stroke> strokesOf(const KitStrokes& all, const std::string& drum);

}  // namespace ember
