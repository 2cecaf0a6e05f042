// What a row's bleed stage does to its recording.
#pragma once

#include "core/measure/separate/kept_models.h"

#include <memory>

namespace ember {

// Gains for one of a row's channels by what its drums are turned to, amount, floor and softness;
// the same object for the same of all these while somebody holds it. Null where the channel is not
// in the model. Any thread.
std::shared_ptr<const BandGains> stageGains(const BleedModel& model, const Row& row,
                                            const Stage& stage, int channel);

}  // namespace ember
