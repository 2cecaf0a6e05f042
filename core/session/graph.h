// Who feeds whom: outputs into buses and main, sends, and stages that listen to other rows. Nothing
// else walks from row to row. Pure; any thread. A row that is missing, or a loop, ends a walk:
// sessions that validate() refuses do no harm here.
#pragma once

#include "core/session/session.h"

#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

// The row itself and the buses it goes through one after the other, without sends, main last;
// empty without it.
std::vector<const Row*> wayOut(const Session& session, std::string_view row);
// Whether the sound of `from` comes into `to`, by buses or sends; every row leads to itself.
bool leadsTo(const Session& session, std::string_view from, std::string_view to);
// The row and all that is heard in it: what feeds it or is sent to it, what its stages listen to,
// and theirs. References are no one's members.
std::set<std::string> heardIn(const Session& session, std::string_view row);
// The row and all that it is heard in: what it feeds and is sent to, and rows with a stage that
// listens to one of them.
std::set<std::string> reachedBy(const Session& session, std::string_view row);
// What has to be there for what the row's stages listen to, and for what theirs do, without it:
// rows as they are recorded, buses with all that feeds them. Each once.
std::vector<std::string> keysOf(const Session& session, std::string_view row);

// Which group of rows a row belongs to, counted from 0 in the order of the session; -1: none. A
// group is a bus that recordings feed and that feeds another bus, with those recordings.
int groupOf(const Session& session, const Row& row);

// The ids of a loop of sound, in order, the first again at its end; empty where there is none. What
// listens to a bus waits for all that feeds it; what listens to a recording waits for nothing.
std::vector<std::string> loopOf(const Session& session);

}  // namespace ember
