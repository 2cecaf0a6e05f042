// A row's sound made into audio (session/print.h).
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/document.h"

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace ember {

// Where the prints of a session lie: beside its file, as the models of its bleed do.
std::filesystem::path printFolder(const std::filesystem::path& sessionFile);

// Plays a row alone, with all that is heard in it, from song zero to the song's end and on until
// half a second lies under -120 dBFS, thirty seconds at most, and keeps what its chain gives its
// seat in `folder`, which is made: 32-bit float, a channel for each of the row's, named by row and
// content, so that an older print stays as long as somebody may go back to it. Solos do not count,
// and nothing plays a print on the way. Shifted by `semitones` (audio/pitch_shift.h) where that is
// not 0. Any thread; throws Error or Cancelled, and leaves nothing behind then.
Print printRow(const Session& session, AudioStore& store, const std::string& row,
               const std::filesystem::path& folder, std::int64_t time,
               const Progress& progress = {}, double semitones = 0.0);

// The session as it is saved to a file: prints that lie elsewhere, of rows and snapshots, are
// copied into that session's folder and read there; what is missing stays as it is. Throws Error
// where nothing can be written.
Session withPrintsBeside(Session session, const std::filesystem::path& sessionFile);

// Prints in the folder of a session file that nothing needs any more: not the document (its paths
// absolute), nor what it may be undone to, nor the save before it, nor any other session file that
// lies beside it. Reads those files.
std::vector<std::filesystem::path> oldPrints(const Document& document,
                                             const std::filesystem::path& sessionFile);

}  // namespace ember
