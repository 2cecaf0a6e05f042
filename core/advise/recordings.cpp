#include "core/advise/recordings.h"

#include "core/base/error.h"

#include <algorithm>

namespace ember {
namespace fs = std::filesystem;

std::vector<fs::path> changedRecordings(const Session& session, AudioStore& store) {
    std::vector<fs::path> out;
    for (const Row& row : session.rows) {
        eachRecording(row, [&](const Source& source) {
            try {
                const bool changed =
                    !source.hash.empty() && store.contentHash(source.file) != source.hash;
                if (changed && std::find(out.begin(), out.end(), source.file) == out.end())
                    out.emplace_back(source.file);
            } catch (const Error&) {
                // What is missing is said where it is opened.
            }
        });
    }
    return out;
}

Session withRecordingAsItIs(Session session, AudioStore& store, const fs::path& file) {
    const std::string hash = store.contentHash(file);
    for (Row& row : session.rows) {
        eachRecording(row, [&](Source& source) {
            if (fs::path(source.file) == file) source.hash = hash;
        });
    }
    return session;
}

Session withRecordingFound(Session session, AudioStore& store, const fs::path& file,
                           const fs::path& found) {
    const std::string hash = store.contentHash(found);
    for (Row& row : session.rows) {
        eachRecording(row, [&](Source& source) {
            if (fs::path(source.file) != file) return;
            if (source.hash != hash)
                throw Error("“" + found.filename().string() + "” is not the recording of “" +
                            row.name + "” either; choose the file that was taken in.");
            source.file = found.string();
        });
    }
    return session;
}

}  // namespace ember
