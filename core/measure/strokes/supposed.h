// What may be strokes, before and after it is decided.
#pragma once

#include "core/measure/strokes/verdict.h"
#include "core/session/stroke.h"

#include <vector>

namespace ember {

struct Supposed {
    Share share;
    Heard heard = Heard::close;
    double logOdds = 0.0;  // above 0: more likely a stroke than not
    double seconds = 0.0;  // where it was heard
};

// Every share that is worth deciding about, by its own evidence. `shares`: of attribute().
std::vector<Supposed> supposeStrokes(const KitMics& kit, const KitEvents& events,
                                     const std::vector<Share>& shares);

// A second look at heads that have microphones: the strokes that are likely so far take the kit
// apart, and what it then needs or can do without is weighed with the first evidence. Throws
// Cancelled.
void lookAgain(const KitMics& kit, std::vector<Supposed>& supposed, const Progress& progress);

// The likely ones, one for what is one blow, in order of time, with velocities.
std::vector<Stroke> likelyStrokes(const KitMics& kit, const std::vector<Supposed>& supposed);

}  // namespace ember
