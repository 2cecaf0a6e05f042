// A kit that was taken apart, when some of its strokes are corrected.
#pragma once

#include "core/measure/separate/bleed_model.h"

#include <optional>
#include <vector>

namespace ember {

// What `known` becomes by these strokes, of the same recordings: its pictures stay, and it is
// measured anew only where strokes came, went or moved, and as long as those sound that lie near
// them. Nothing where that does not do: other microphones, drums that come or go, a fifth of the
// strokes changed, or a model that does not say how loud its microphones are. Deterministic;
// spreads over cores; throws Cancelled.
std::optional<BleedModel> corrected(const BleedModel& known, const KitMics& kit,
                                    const std::vector<Stroke>& strokes,
                                    const Progress& progress = {});

}  // namespace ember
