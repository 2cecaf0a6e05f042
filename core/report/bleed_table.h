// Every drum in every microphone: how loud it is heard there, and how far a key filter helps.
#pragma once

#include "core/base/units.h"
#include "core/measure/kit/kit_measure.h"
#include "core/session/session.h"

#include <optional>
#include <string>
#include <vector>

namespace ember {

struct BleedTable {
    struct Cell {
        double peakDb = kSilenceDb;      // median peak of the drum's clear strokes there, dBFS
        double relativeDb = kSilenceDb;  // against the loudest drum of that microphone
    };
    struct Mic {
        std::string row, drum;  // drum: whose microphone it is; empty where it hears the whole kit
        std::vector<std::optional<Cell>> cells;  // by drum; none where no clear stroke was heard
        // Weakest own strokes over the loudest neighbours, dB; without and with the key filter that
        // separates best. None where it stands at no drum, or no filter helps.
        std::optional<double> marginDb, filteredDb;
        double highPass = 0.0, lowPass = 0.0;  // Hz of that filter
    };
    std::vector<std::string> drums;  // as on the Board, then what no row stands at
    std::vector<Mic> mics;           // in the Board's order
};

// Pure.
BleedTable bleedTable(const Session& session, const KitMeasurement& measured);

}  // namespace ember
