// Everything that is measured of a session's recordings, and the cache that sees to it that nothing
// is measured twice.
#pragma once

#include "core/measure/kit/bleed.h"
#include "core/measure/kit/image.h"
#include "core/measure/kit/phase.h"
#include "core/measure/kit/timing.h"
#include "core/measure/level/levels.h"
#include "core/measure/sound/sympathy.h"
#include "core/measure/sound/tone.h"
#include "core/measure/strokes/strokes.h"

#include <string>
#include <vector>

namespace ember {

struct KitMeasurement {
    KitStrokes found;    // as found, before anybody corrected them
    KitStrokes strokes;  // with the session's corrections
    std::vector<BleedLevel> bleed;
    std::vector<Separation> separation;
    std::vector<PhasePair> phase;
    std::vector<DrumTone> tone;
    std::vector<DrumTone> twins;  // measureTwins()
    std::vector<Sympathy> sympathy;
    std::vector<DrumImage> image;
    KitTiming timing;
    std::vector<SignalLevels> levels;  // of every element, as recorded
    bool operator==(const KitMeasurement&) const = default;
};

// Measures the recordings as they are, before any processing. What was measured before of the same
// recordings in the same roles with the same corrections comes from the cache; strokes also when
// only the corrections differ. Progress names the element or the step. Any thread; throws Error or
// Cancelled.
KitMeasurement measureKit(const Session& session, AudioStore& store, const Progress& progress = {});
// What recordings in which roles a measurement is of, as a text that is the same for the same.
std::string recordingsKey(const Session& session, AudioStore& store);
// Strokes alone, with the session's corrections.
KitStrokes measureSessionStrokes(const Session& session, AudioStore& store,
                                 const Progress& progress = {});

}  // namespace ember
