// What the stages of rows did, kept in the cache folder by content and settings: a session that is
// opened again shows its pictures at once, and a moved parameter measures anew only what it can be
// heard in.
#pragma once

#include "core/engine/trace.h"

#include <map>
#include <string>
#include <vector>

namespace ember {

// As trace() over the whole song. What is not known yet is measured and kept. Throws as trace()
// does; any thread.
std::map<std::string, RowTrace> cachedTrace(const Session& session, AudioStore& store,
                                            const std::vector<std::string>& rows,
                                            const Progress& progress = {});
// The same without keeping what it measured.
std::map<std::string, RowTrace> knownOrTraced(const Session& session, AudioStore& store,
                                              const std::vector<std::string>& rows,
                                              const Progress& progress = {});
// The two halves of it: those that are known already, without measuring; and one to be known from
// now on, as it was measured of this session.
std::map<std::string, RowTrace> knownTraces(const Session& session, AudioStore& store,
                                            const std::vector<std::string>& rows);
void keepTrace(const Session& session, AudioStore& store, const std::string& row,
               const RowTrace& trace);

}  // namespace ember
