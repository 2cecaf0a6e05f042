// What stands in the chains and perhaps should not: what is active before anybody touched it, and
// what was left behind.
#pragma once

#include "core/engine/trace.h"
#include "core/session/session.h"

#include <map>
#include <string>
#include <vector>

namespace ember {

struct ReviewItem {
    // active: changes the sound although nobody decided it. leftover: switched off with settings
    // of its own, or on without any effect in the whole song. muted: a row that nobody hears.
    enum class Kind { active, leftover, muted };
    Kind kind = Kind::active;
    std::string row, stage;  // stage: empty for a muted row
    std::string sentence;    // what it is and what to do
    bool operator==(const ReviewItem&) const = default;
};

// In the Board's order. `traces` by row; where a row has none, only what the settings say is told.
// Pure.
std::vector<ReviewItem> reviewChains(const Session& session,
                                     const std::map<std::string, RowTrace>& traces);

// The session with everything reset that is active though nobody decided it: steps off with their
// defaults, align and seat at their defaults.
Session withUndecidedReset(Session session);

}  // namespace ember
