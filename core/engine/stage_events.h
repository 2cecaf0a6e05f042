// What drives a stage: the strokes of the drum it listens to, or the beats of the song.
#pragma once

#include "core/dsp/event.h"
#include "core/session/session.h"

#include <span>
#include <vector>

namespace ember {

// In order of time. `struck`: everything that is struck in the session, in any order; `until`: the
// second of song time up to which beats are told.
std::vector<Event> stageEvents(const Session& session, std::string_view row, const Stage& stage,
                               std::span<const Stroke> struck, double until);

}  // namespace ember
