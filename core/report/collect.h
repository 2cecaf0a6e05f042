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

// A folder to lay a session out in: new or empty, else the constructor throws Error. What was made
// in it goes again, and it too where it was new, unless it is kept.
class FreshFolder {
  public:
    explicit FreshFolder(const std::filesystem::path& folder);
    ~FreshFolder();
    FreshFolder(const FreshFolder&) = delete;
    FreshFolder& operator=(const FreshFolder&) = delete;
    [[nodiscard]] const std::filesystem::path& path() const { return path_; }  // absolute
    void keep() { kept_ = true; }

  private:
    std::filesystem::path path_;
    bool there_ = false, kept_ = false;
};

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
