// Who feeds whom: outputs into buses and main, and stages that listen to other rows. Nothing else
// walks from row to row. Pure; any thread. A row that is missing, or a loop, ends a walk: sessions
// that validate() refuses do no harm here.
#pragma once

#include "core/session/session.h"

#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

// The row itself and whatever its sound goes through, in that order, main last; empty without it.
std::vector<const Row*> wayOut(const Session& session, std::string_view row);
std::vector<Row*> wayOut(Session& session, std::string_view row);
// Whether the way out of `from` comes by `to`; every row leads to itself.
bool leadsTo(const Session& session, std::string_view from, std::string_view to);
// The row and all that is heard in it: its members, what its stages listen to, and theirs.
// References are no one's members.
std::set<std::string> heardIn(const Session& session, std::string_view row);
// The row and all that it is heard in: its way out, and rows with a stage that listens to one of
// them.
std::set<std::string> reachedBy(const Session& session, std::string_view row);
// What the row's stages listen to, and what theirs do, without it; each once.
std::vector<std::string> keysOf(const Session& session, std::string_view row);

}  // namespace ember
