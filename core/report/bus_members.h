// What feeds a bus, as it comes there.
#pragma once

#include "core/engine/render.h"

#include <string>
#include <vector>

namespace ember {

// Rows whose bus it is, each at its fader, over [from, to) seconds of song time, kLongestCompared
// at most; `to` < 0: that long. Throws as renderRows() does.
std::vector<RowAudio> busMembers(const Session& session, AudioStore& store, const std::string& bus,
                                 bool withGuests, double from, double to,
                                 const Progress& progress = {});
// Both sides together, half of each.
std::vector<float> sidesMixed(const AudioBuffer& audio);

}  // namespace ember
