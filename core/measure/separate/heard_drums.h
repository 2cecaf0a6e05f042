// Which microphones of a drum hear nothing but it.
#pragma once

#include "core/measure/separate/picture_fit.h"

#include <vector>

namespace ember {

// By drum and channel, whether it can be heard there. `own`, likewise: it stands there. A channel
// that stays silent when other drums than its own are struck hears none of them, also not those
// that are only ever struck together with its own and could be there for all that anybody can tell:
// sampled kits, and recordings that were cut to their strokes. Where nothing can be told of a
// channel it goes by the other close ones, if they agree that nothing is heard; where most of them
// do, so it does if it is silent at some strokes (what it hears at the others are strokes of its
// own that were not found); else all are heard.
std::vector<bool> heardDrums(const PowerMap& powers, const BleedModel& frame,
                             const std::vector<bool>& own);

}  // namespace ember
