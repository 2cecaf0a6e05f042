// Starting points for bleed: what drums are usually turned to in which microphones, and why.
#pragma once

#include "core/session/session.h"

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

struct BleedStart {
    std::string id, name, doc;  // doc: the reason, and what it costs
};
std::span<const BleedStart> bleedStarts();

// The session with a starting point in every microphone of `drums` (those that a model knows); a
// bleed step is put in where something is turned. What was turned before goes. `model`: see
// withBleed(). Throws Error for an unknown id.
Session withBleedStart(Session session, std::string_view id, const std::vector<std::string>& drums,
                       const std::string& model);

// What of a row one listens to.
enum class BleedHearing { kept, taken, one };
// The session with this row alone: as it is turned; what that takes away; or one drum of it. A
// bleed step is put in where there is none.
Session heardApart(Session session, const std::string& row, const std::string& drum,
                   BleedHearing what, const std::vector<std::string>& drums,
                   const std::string& model);

// The session with this row alone, as it was recorded.
Session microphoneAlone(Session session, const std::string& row);

}  // namespace ember
