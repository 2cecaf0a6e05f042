// What a row's bleed stage does to its recording.
#pragma once

#include "core/measure/separate/kept_models.h"

#include <memory>
#include <string>

namespace ember {

// Whether a bleed stage does anything.
bool changesSound(const Stage& bleed);

// A sentence where a bleed stage is to shape its drum and cannot: too few strokes, nobody else to
// tell the room by; empty where it can, or where nothing is asked of it. Any thread.
std::string shapeProblem(const BleedModel& model, const Session& session, const Row& row,
                         const Stage& bleed);

// Gains for one of a row's channels by its bleed stage: what drums are turned to, amount, floor,
// softness, and what is done to the drum that the row stands at (to all, where it hears the whole
// kit); the same object for the same of all these while somebody holds it. Null where the channel
// is not in the model. Any thread.
std::shared_ptr<const BandGains> stageGains(const BleedModel& model, const Session& session,
                                            const Row& row, const Stage& stage, int channel);

}  // namespace ember
