// A session in one file, to be handed on: everything it plays, or as a template for other songs.
#pragma once

#include "core/report/collect.h"

#include <filesystem>
#include <string_view>

namespace ember {

inline constexpr std::string_view kPackEnding = ".caskpack";

// What goes along: everything that is played; or, for other songs to begin as, the session without
// its song (advise/session_like.h) and its log, with what its layers play. Recordings stay at home
// then and are named without their folders.
enum class PackAs { session, likeness };

// Writes the session and all it plays (of a template what its layers play) into one file, a zip
// archive whose parts are stored as they are; the file appears when it is complete. Collects beside
// it first, and so needs the room twice for a while. Recordings are only read. Any thread; throws
// Error or Cancelled, and leaves nothing behind then.
Collected packSession(const Document& document, const AudioStore& store,
                      const std::filesystem::path& file, PackAs as, const Progress& progress = {});

// Whether a file's name says that it is such a pack.
bool isPack(const std::filesystem::path& file);
// Lays a pack out in a folder that is new or empty and says where its session is. A pack that is
// damaged, or names files outside the folder, is refused with a sentence and nothing is left of it.
// Any thread; throws Error or Cancelled.
std::filesystem::path unpackSession(const std::filesystem::path& file,
                                    const std::filesystem::path& folder,
                                    const Progress& progress = {});
// A folder beside a pack (or in `where`) that is not there yet, called like it: "Song", "Song 2".
std::filesystem::path folderFor(const std::filesystem::path& pack,
                                const std::filesystem::path& where);

}  // namespace ember
