// The session file: one UTF-8 JSON document (docs/session.schema.json).
//
// Unknown fields are kept and written back. Saving is atomic: a crash at any moment
// leaves the last completed save, and the one before it stays beside it as
// "<name>.previous".
#pragma once

#include "core/session/document.h"

#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace ember {

// Text of a document, and back. `folder` is where the file lives: audio paths below
// or near it are written relative. fromJson throws Error naming the field at fault.
std::string toJson(const Document& document);
Document documentFromJson(const std::string& text, const std::string& fileName);

// Processors kept for other sessions: one as a preset, or a whole chain. What belongs to a row and
// its song (ids, keys, marks, curves) is not kept; reading throws Error naming the field at fault.
std::string chainToJson(std::span<const Stage> chain);
std::vector<Stage> chainFromJson(const std::string& text, const std::string& fileName);
std::vector<Stage> loadChain(const std::filesystem::path& file);
void saveChain(const std::filesystem::path& file, std::span<const Stage> chain);

// Makes a folder and those above it; whether it is new. Throws Error.
bool makeFolder(const std::filesystem::path& folder);

Document loadDocument(const std::filesystem::path& file);
void saveDocument(const std::filesystem::path& file, const Document& document);

// Replaces a file's content in one step (temporary file, fsync, rename). With keepPrevious the old
// content stays as "<name>.previous". Throws Error; then the old file is as it was.
void writeAtomically(const std::filesystem::path& file, const std::string& content,
                     bool keepPrevious);

// Every file of a session and of its snapshots: each(Source&).
template <typename Each>
void eachSessionFile(Session& session, Each each) {
    for (Row& row : session.rows) eachFile(row, each);
    for (Snapshot& snapshot : session.snapshots) {
        std::vector<Row> rows = snapshot.rows.get();
        bool moved = false;
        for (Row& row : rows) {
            eachFile(row, [&](Source& source) {
                const std::string was = source.file;
                each(source);
                moved = moved || source.file != was;
            });
        }
        if (moved) snapshot.rows = Shared(std::move(rows));
        if (!snapshot.clip) continue;
        for (Source& source : snapshot.clip->audio) each(source);
    }
}

// Where a source of this session's file is, absolute.
std::filesystem::path resolveSource(const std::filesystem::path& sessionFile, const Source& source);
// The session with its sources' paths made relative to (or resolved against) a session file's
// folder.
Session withRelativePaths(Session session, const std::filesystem::path& sessionFile);
Session withAbsolutePaths(Session session, const std::filesystem::path& sessionFile);

}  // namespace ember
