// The mix of another session on the rows of this one: a trial made elsewhere, tried here.
#pragma once

#include "core/session/session.h"

#include <cstdint>
#include <string>
#include <vector>

namespace ember {

struct MixBrought {
    Session session;
    std::vector<std::string> remarks;  // what has no counterpart, in sentences
};

// Every row gets the steps of the row that stands for it in the other session: of its kind and
// role, the one of its name where there are several; buses and the main by id or name. Levels,
// pans, sends and mutes come with them, and buses that are sent to are made where they are missing.
// What belongs to the recordings stays: themselves, how they are aligned, what their bleed is
// turned to, layers, notes; curves and prints of the other song are left out. Keys follow their
// rows. Rows that nothing stands for stay as they are. Throws Error where no row at all has a
// counterpart. Pure.
MixBrought withMixFrom(Session session, const Session& other);

// The same as a snapshot of this session, its remarks as its note. `which`: a snapshot of the other
// session, by id or name; empty: its mix as it stands. `time`: seconds since 1970, UTC. Throws
// Error as requireSnapshot() and withSnapshotTaken() do too.
Session withSnapshotFrom(const Session& session, const Session& other, const std::string& which,
                         const std::string& name, std::int64_t time);

}  // namespace ember
