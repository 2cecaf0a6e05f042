#include "core/session/file.h"

#include "core/base/error.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <fstream>
#include <sstream>

namespace ember {
namespace fs = std::filesystem;
namespace {

std::string readText(const fs::path& file) {
    std::ifstream in(file, std::ios::binary);
    if (!in)
        throw Error("“" + file.string() +
                    "” cannot be opened: check that it exists and that you may read it.");
    std::ostringstream text;
    text << in.rdbuf();
    return text.str();
}

std::string systemReason() {
    return std::strerror(errno);
}

}  // namespace

void writeAtomically(const fs::path& file, const std::string& content, bool keepPrevious) {
    const fs::path part = file.string() + ".part", previous = file.string() + ".previous";
    const auto fail = [&](const std::string& what) {
        const std::string reason = systemReason();
        ::unlink(part.c_str());
        throw Error(
            "“" + file.string() + "” could not be " + what + " (" + reason +
            "): free space or choose a folder you may write to; the last save is untouched.");
    };
    const int fd = ::open(part.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
    if (fd < 0) fail("saved");
    std::size_t done = 0;
    while (done < content.size()) {
        const ssize_t n = ::write(fd, content.data() + done, content.size() - done);
        if (n < 0 && errno == EINTR) continue;
        if (n < 0) {
            ::close(fd);
            fail("saved");
        }
        done += static_cast<std::size_t>(n);
    }
    const bool synced = ::fsync(fd) == 0;
    if (::close(fd) != 0 || !synced) fail("saved");
    if (keepPrevious && ::access(file.c_str(), F_OK) == 0) {
        // A second name for the old content, then the new content under the first name:
        // there is no moment without a whole file.
        const fs::path spare = file.string() + ".previous.part";
        ::unlink(spare.c_str());
        // Some disks know no second names: then a copy.
        std::error_code code;
        const bool kept = ::link(file.c_str(), spare.c_str()) == 0 ||
                          fs::copy_file(file, spare, fs::copy_options::overwrite_existing, code);
        if (!kept || ::rename(spare.c_str(), previous.c_str()) != 0) fail("kept as it was before");
    }
    if (::rename(part.c_str(), file.c_str()) != 0) fail("replaced");
    const fs::path parent = file.parent_path();
    const int folder =
        ::open(parent.empty() ? "." : parent.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (folder >= 0) {
        ::fsync(folder);
        ::close(folder);
    }
}

bool makeFolder(const fs::path& folder) {
    std::error_code failed;
    const bool made = fs::create_directories(folder, failed);
    if (failed)
        throw Error("“" + folder.string() + "” could not be made (" + failed.message() +
                    "); choose a folder you may write to.");
    return made;
}

std::vector<Stage> loadChain(const fs::path& file) {
    return chainFromJson(readText(file), file.filename().string());
}

void saveChain(const fs::path& file, std::span<const Stage> chain) {
    writeAtomically(file, chainToJson(chain), false);
}

Document loadDocument(const fs::path& file) {
    return documentFromJson(readText(file), file.filename().string());
}

void saveDocument(const fs::path& file, const Document& document) {
    writeAtomically(file, toJson(document), true);
}

fs::path resolveSource(const fs::path& sessionFile, const Source& source) {
    const fs::path path = source.file;
    return path.is_absolute() ? path
                              : (fs::absolute(sessionFile).parent_path() / path).lexically_normal();
}

Session withRelativePaths(Session session, const fs::path& sessionFile) {
    const fs::path folder = fs::absolute(sessionFile).parent_path().lexically_normal();
    eachSessionFile(session, [&](Source& source) {
        const fs::path path = source.file;
        if (path.is_absolute())
            source.file = path.lexically_normal().lexically_relative(folder).string();
    });
    return session;
}

Session withAbsolutePaths(Session session, const fs::path& sessionFile) {
    eachSessionFile(session, [&](Source& source) {
        source.file = resolveSource(sessionFile, source).string();
    });
    return session;
}

}  // namespace ember
