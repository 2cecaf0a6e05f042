// Places worth listening to: where a decision about a drum can be heard best.
#pragma once

#include "core/measure/kit/kit_measure.h"

#include <string>
#include <vector>

namespace ember {

enum class SpotKind {
    own,       // a person's own
    loudest,   // the loudest strokes of a drum
    ghosts,    // most ghost notes of a drum
    busiest,   // the bar with most strokes of all drums
    fill,      // most tom strokes
    cymbals,   // densest cymbals and hats
    alone,     // a drum with nothing else around it
    withBass,  // kick while the bass plays loudest
    humming,   // a head or the wires answering other drums
    quietest,  // the quietest bar in which something is played
};

struct FoundSpot {
    SpotKind kind = SpotKind::own;
    std::string drum;    // whose; empty for the kit's
    Spot spot;           // name and span
    std::string reason;  // what is there: "9 ghost notes"
    bool operator==(const FoundSpot&) const = default;
};

// What is found, kind by kind. Spans follow the session's bars. Levels of guests and of the
// quietest bar are read from the recordings' pyramids; recordings that cannot be opened are passed
// over. Any thread.
std::vector<FoundSpot> findSpots(const Session& session, const KitMeasurement& measured,
                                 AudioStore& store);

// A person's own spots, then those found, ordered by use for a decision about this row in this
// column: those on which it can be heard come first. Pure.
std::vector<FoundSpot> spotsFor(std::vector<FoundSpot> spots, const Session& session,
                                const std::string& row, Column column);

}  // namespace ember
