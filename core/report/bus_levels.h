// How loud every bus is, as the session plays it.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/measure/level/levels.h"
#include "core/session/session.h"

#include <vector>

namespace ember {

// Every bus and main, in the Board's order: what leaves it, through its own chain but without those
// behind it. Guests are left out. Any thread; throws Error or Cancelled.
std::vector<SignalLevels> busLevels(const Session& session, AudioStore& store,
                                    const Progress& progress = {});

}  // namespace ember
