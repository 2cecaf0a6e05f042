// A session with everything it plays in one folder, so that it opens on another machine.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/document.h"

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace ember {

struct Collected {
    std::filesystem::path session;  // FOLDER/NAME.cask
    int files = 0;                  // copied
    std::uintmax_t bytes = 0;
    std::vector<std::string> missing;  // recordings that were not there, a name each
};

// Copies the recordings of all rows and snapshots, each once however often it is played, into
// "audio" of a folder that is new or empty, what kits were taken apart by beside it, and writes the
// session (its paths absolute) there with its logbook. Files of one name and different content get
// names of their own. Recordings are only read; what is missing stays named as it was. Any thread;
// throws Error (a folder that holds something, a disk that is full) or Cancelled, and then leaves
// nothing behind that it made.
Collected collectSession(const Document& document, const AudioStore& store,
                         const std::filesystem::path& folder, const Progress& progress = {});

}  // namespace ember
