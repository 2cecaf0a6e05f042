// Snapshots: the mix as it stood once, kept under a name, to go back to and to compare with.
//
// A snapshot keeps what was decided: rows with their chains, routing and layers, and what is
// programmed. What was heard or noted since (strokes, corrections, spots, the song's time) stays as
// it is when one goes back. Pure; any thread.
#pragma once

#include "core/session/session.h"

#include <cstdint>
#include <string>
#include <string_view>

namespace ember {

inline constexpr std::size_t kMostSnapshots = 200;

// The session with its present mix kept; without a name it is called "Snapshot 3". Throws Error
// where there are kMostSnapshots already.
Session withSnapshotTaken(Session session, std::string name, std::string note, std::int64_t time);
// The mix of a snapshot in place of the present one. Recordings that the present session knows by
// the same content are read where it reads them. Throws Error for unknown ones, and where what it
// would bring back cannot work any more.
Session withSnapshotUsed(const Session& session, std::string_view id);
// Throw Error for unknown snapshots and for a name that is empty.
Session withSnapshotNamed(Session session, std::string_view id, std::string name);
Session withSnapshotJudged(Session session, std::string_view id, Verdict verdict, std::string note);
// With a clip of how it sounds. Throws Error for unknown snapshots.
Session withSnapshotClip(Session session, std::string_view id, MixClip clip);
Session withSnapshotDropped(Session session, std::string_view id);

// Null when there is none.
const Snapshot* findSnapshot(const Session& session, std::string_view id);
// By its id, or by its name, any case. Throws Error naming what there is.
const Snapshot& requireSnapshot(const Session& session, std::string_view idOrName);

}  // namespace ember
