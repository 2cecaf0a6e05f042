// Everything that is struck in a session: strokes that were heard or put in by hand, and the notes
// of its pattern.
#pragma once

#include "core/session/session.h"

#include <string_view>
#include <vector>

namespace ember {

// In order of time. Notes are strokes without a microphone, certain, of the kind that the rule of
// sortIntoKinds() says of them. Pure; any thread.
std::vector<Stroke> playedStrokes(const Session& session);
// Those of one drum.
std::vector<Stroke> playedStrokes(const Session& session, std::string_view drum);
// The notes alone.
std::vector<Stroke> programmedStrokes(const Session& session);

}  // namespace ember
