// Edits that say what is what: names, roles, drums, pairs.
#pragma once

#include "core/session/session.h"

#include <string>
#include <string_view>
#include <vector>

namespace ember {

// Two elements of one channel each become one, left and right. The left one's row survives: its id,
// name, chain and place; how the right one was aligned beyond it becomes the right side's own.
// Stages keyed by the right one are keyed by the pair. Throws Error where that cannot be.
Session withPaired(Session session, std::string_view left, std::string_view right);
// A pair becomes two rows: the left one keeps the id and what is keyed by it, the right one gets a
// copy of the chain and its own alignment; they are panned so that they sound as before.
Session withParted(Session session, std::string_view row);
// Left becomes right.
Session withSidesExchanged(Session session, std::string_view row);

// The bus for elements of a role, by the ids that intake gives them; empty: the drum bus.
std::string_view busOf(Role role);
// The bus that intake makes for all drums.
bool isDrumBus(const Row& row);
// The bus a row is heard in that feeds the drum bus or main; the row's own id where there is none.
std::string stemGroupOf(const Session& session, const Row& row);
// The buses that rows which are heard are sent to, in the session's order, without streams of a
// split; guests are heard where `withGuests`.
std::vector<std::string> returnsOf(const Session& session, bool withGuests);
// Where a row of this role stands within its bus.
int kitOrder(Role role);

}  // namespace ember
