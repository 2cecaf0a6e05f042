// What every row takes of the machine, measured on it.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

struct RowCost {
    std::string row;
    double share = 0.0;  // of one core, while it plays live; 1: all of it
};

// Plays `seconds` of the song from `from` on as fast as it goes, in one thread and with nothing
// playing its print, and times every row's part of it, in the session's order. What else runs
// beside it makes rows seem dearer. Any thread; throws Error or Cancelled.
std::vector<RowCost> rowCosts(const Session& session, AudioStore& store, double from = 0.0,
                              double seconds = 4.0, const Progress& progress = {});

}  // namespace ember
