// Who is heard where, how loud, and whether a level can tell a drum from its neighbours.
#pragma once

#include "core/base/units.h"
#include "core/measure/strokes/strokes.h"

#include <string>
#include <vector>

namespace ember {

struct BleedLevel {
    std::string drum, mic;
    double peakDb = kSilenceDb;      // median peak of the drum's clear strokes in `mic`, dBFS
    double relativeDb = kSilenceDb;  // against `mic`'s loudest drum
    int strokes = 0;
    bool operator==(const BleedLevel&) const = default;
};

// How far a close microphone's own strokes stand above its neighbours', as a gate's detector hears
// it.
struct Separation {
    std::string drum, mic;
    double highPass = 10.0, lowPass = 22000.0;  // Hz of the key filter; the ends mean off
    std::vector<double> ownDb;                  // peak of every own stroke, dBFS
    std::vector<double> ghostDb;                // of those that are ghosts
    std::vector<double> bleedDb;                // peak of every neighbour's stroke
    double marginDb = 0.0;  // weakest own strokes (5 %) over the loudest neighbours (95 %)
    bool operator==(const Separation&) const = default;
};

std::vector<BleedLevel> measureBleed(const KitMics& kit, const KitStrokes& strokes);

// Without and with the key filter that separates best (in this order, for each close microphone of
// a drum that was struck); the second is left out where no filter gains 1 dB. Pure; spreads over
// cores.
std::vector<Separation> measureSeparation(const KitMics& kit, const KitStrokes& strokes,
                                          const Progress& progress = {});

}  // namespace ember
