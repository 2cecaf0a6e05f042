// What the advisers share: a row's tone, its strokes, what is already decided, and wording.
#pragma once

#include "core/advise/proposal.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

// The drum's tone as this row hears it (its first microphone, or another one); null where it was
// not measured.
const DrumTone* toneIn(const KitMeasurement& measured, const std::string& row,
                       const std::string& drum);

// Seconds of at most 48 of its strokes, ghosts left out where `full`.
std::vector<double> evidenceOf(const KitMeasurement& measured, const std::string& drum, bool full);

// Whether the moves would write over what a person decided. An equaliser's bands count each for
// themselves: one that is off is free.
bool wouldOverwrite(const Stage& stage, const std::vector<ParameterMove>& moves);

// A processor's values after these moves; without values: those of an untouched one.
std::vector<double> withMoves(std::string_view type, std::vector<double> values,
                              const std::vector<ParameterMove>& moves);
std::vector<double> withMoves(std::string_view type, const std::vector<ParameterMove>& moves);

// What moves on an untouched processor do to a drum's attack against body, foretold on its typical
// strokes; silent where that is less than a tenth of a dB.
std::optional<Effect> punchEffect(const DrumTone& tone, std::string_view type,
                                  const std::vector<ParameterMove>& moves);

}  // namespace ember
