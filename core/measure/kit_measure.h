// Everything that is measured of a session's recordings, and the cache that sees to it that nothing
// is measured twice.
#pragma once

#include "core/measure/bleed.h"
#include "core/measure/phase.h"
#include "core/measure/strokes.h"
#include "core/measure/tone.h"

#include <string>
#include <vector>

namespace ember {

struct KitMeasurement {
    KitStrokes strokes;  // with the session's corrections
    std::vector<BleedLevel> bleed;
    std::vector<Separation> separation;
    std::vector<PhasePair> phase;
    std::vector<DrumTone> tone;
    bool operator==(const KitMeasurement&) const = default;
};

// Measures the recordings as they are, before any processing. Strokes come from the cache when the
// same recordings in the same roles were measured before. Any thread; throws Error or Cancelled.
KitMeasurement measureKit(const Session& session, AudioStore& store, const Progress& progress = {});
// Strokes alone, with the session's corrections.
KitStrokes measureSessionStrokes(const Session& session, AudioStore& store,
                                 const Progress& progress = {});

}  // namespace ember
