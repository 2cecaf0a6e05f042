// Moments at which something was struck, and what rose in which microphone and band.
#pragma once

#include "core/measure/kit/kit_mics.h"

#include <array>
#include <vector>

namespace ember {

// Edges of the bands in which rises are read, Hz.
inline constexpr std::array<double, 15> kRiseEdges{30.0,   60.0,   90.0,   130.0,   200.0,
                                                   300.0,  450.0,  700.0,  1100.0,  1800.0,
                                                   3000.0, 5000.0, 8000.0, 12000.0, 18000.0};

// One number of an event's picture: a band of one channel.
struct RiseBand {
    int mic = 0;
    std::size_t channel = 0;
    double low = 0.0, high = 0.0;  // Hz
    bool late = false;             // 45-87 ms after the stroke: what keeps sounding
};

struct KitEvent {
    Frames frame = 0;            // song frame of the first rise anywhere
    std::vector<float> onsetDb;  // by microphone: its strongest rise within the event; 0: none
    // By RiseBand: amplitude by which the band rose over what sounded before (linear). Late
    // bands are -1 when the next event came first.
    std::vector<float> rise;
};

struct KitEvents {
    std::vector<RiseBand> bands;
    std::vector<KitEvent> events;  // in order of time
};

// Onsets of all microphones, grouped by what can be one blow (sound needs up to 9 ms across a kit),
// with the pictures of their rises. Rooms are heard only where nothing closer hears the whole
// kit. Cost grows with length and microphones; the work is spread over cores. Pure.
KitEvents findEvents(const KitMics& kit, const Progress& progress = {});

}  // namespace ember
