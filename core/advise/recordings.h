// Recordings that are not what they were when they were taken in, and what to do about it.
#pragma once

#include "core/audio/store.h"
#include "core/session/session.h"

#include <filesystem>
#include <vector>

namespace ember {

// Recordings whose content is not what it was when they were taken in; absolute paths. Those that
// cannot be read are left out: whoever plays them says so. Reads what it has not seen yet.
std::vector<std::filesystem::path> changedRecordings(const Session& session, AudioStore& store);
// The session with a recording taken as it is now, or with another file in its place. Throws Error
// when the other file is not the one that was taken in.
Session withRecordingAsItIs(Session session, AudioStore& store, const std::filesystem::path& file);
Session withRecordingFound(Session session, AudioStore& store, const std::filesystem::path& file,
                           const std::filesystem::path& found);

}  // namespace ember
