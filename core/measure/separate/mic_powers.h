// How loud a kit's microphones are by window and band, and when they hear each drum.
#pragma once

#include "core/measure/separate/picture_fit.h"

#include <cstdint>

namespace ember {

// Of the whole song, every channel against its own mean; fills the model's scales. Throws
// Cancelled.
PowerMap measurePowers(const KitMics& kit, BleedModel& model, const Progress& progress);
// A stretch of windows, by a model's scales.
PowerMap measurePowers(const KitMics& kit, const BleedModel& model, std::int64_t first,
                       std::int64_t count);

// Frames from a drum's strokes, as its hits have them, to their arrival in a channel, by drum and
// channel: where the usual rise of the strokes' envelope begins. kNeverHeard where they do not rise
// out of what sounds before them, up to 25 ms later.
std::vector<std::int16_t> measureArrivals(const KitMics& kit, const BleedModel& model);

}  // namespace ember
