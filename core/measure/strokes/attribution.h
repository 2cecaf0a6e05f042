// Whose stroke was it? Every event's picture is taken apart into the drums' own pictures, which are
// learned from the clear strokes of this very recording.
//
// Non-negative decomposition under the Kullback-Leibler divergence (Lee & Seung, NIPS 13, 2001),
// as used on drum recordings by Dittmar & Gaertner (DAFx-14, 2014), but on the rises at
// events rather than on frames, and across all microphones at once: the level pattern over the
// microphones says most, the spectrum the rest.
#pragma once

#include "core/base/units.h"
#include "core/measure/strokes/events.h"
#include "core/measure/strokes/onsets.h"

#include <vector>

namespace ember {

// What one drum has in one event, and what speaks for it. All levels are relative to this
// recording.
struct Share {
    int event = 0;
    int drum = 0;
    double levelDb = kSilenceDb;  // of its picture, against the drum's loud strokes
    double necessity = 0.0;       // how much worse the event is explained without this drum, per
                                  // unit of what it explains (0: others can stand in)
    double share = 0.0;  // of what rose in its own microphones (or everywhere if it has none)
    // In the drum's first own microphone; nothing where it has none.
    Arrival heard;
    double relativeDb = kSilenceDb;  // that attack's peak against the drum's loud strokes
    double excessDb = kSilenceDb;    // and against the most that the other drums' bleed explains
    double tailDb = -60.0;           // how far it lies under the drum's own stroke just before
    bool leads = false;              // its microphone hears the event before all other close ones
    // Over the kit: how much of what rises lies below 450 Hz, and how much of that still sounds
    // 45 ms later (-1: the next stroke came first).
    double low = 0.0, sustain = -1.0;
    bool operator==(const Share&) const = default;
};

// All shares worth a look, in order of events. Deterministic; any thread.
std::vector<Share> attribute(const KitMics& kit, const KitEvents& events,
                             const Progress& progress = {});

}  // namespace ember
