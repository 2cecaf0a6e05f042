// Sessions of older formats, step by step to today's.
#pragma once

#include "core/session/session.h"

#include <nlohmann/json.hpp>

namespace ember {

// From format 1, before reading: drums had no ids of their own, and were called by their place.
void renameDrumFields(nlohmann::ordered_json& session);
// From formats up to 3, before reading: one tempo, beats of quarter notes and the place of bar 1
// become the song's time.
void gatherTime(nlohmann::ordered_json& session);
// In any format: an align or a seat that was off becomes one that does nothing, and is on. Says so,
// a sentence each, in `remarks`.
Session withFixedStagesOn(Session session, std::vector<std::string>& remarks);
// And after: every place becomes the id of the drum that was meant, so that gates open by the same
// strokes as before.
Session withDrumIds(Session session);

}  // namespace ember
