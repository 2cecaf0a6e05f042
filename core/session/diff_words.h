// What changed in a song's time and strokes, in wishes and in controls, in the words of the
// logbook. Pure.
#pragma once

#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

std::vector<std::string> timeWords(const TimeMap& was, const TimeMap& is);

// Of strokes that changed: a correction in its own words; measured anew, only their number.
struct StrokesWords {
    std::string place, what;  // "Strokes", "Snare at 1.250 s removed"
};
StrokesWords strokesWords(const Session& before, const Session& after);

// Budgets of steps and of range, the line over the spectrum and which controls move together, where
// they differ.
std::vector<std::string> wishWords(const Session& before, const Session& after);
// What controls move of a stage, where that differs; where they stand is said by what moved.
std::vector<std::string> controlWords(const Stage& before, const Stage& after);

}  // namespace ember
