#include "core/report/pack.h"

#include "core/advise/session_like.h"
#include "core/base/error.h"
#include "core/session/file.h"

#include <archive.h>
#include <archive_entry.h>

#include <algorithm>
#include <cctype>
#include <clocale>
#include <fstream>
#include <memory>

namespace ember {
namespace fs = std::filesystem;
namespace {

using PackOut = std::unique_ptr<archive, decltype(&archive_write_free)>;
using PackIn = std::unique_ptr<archive, decltype(&archive_read_free)>;
using PackEntry = std::unique_ptr<archive_entry, decltype(&archive_entry_free)>;

// Names are UTF-8 whatever the machine's locale is; the archive's library asks the thread's.
class NamesAreUtf8 {
  public:
    NamesAreUtf8() : wanted_(newlocale(LC_CTYPE_MASK, "C.UTF-8", nullptr)) {
        if (wanted_ != nullptr) before_ = uselocale(wanted_);
    }
    ~NamesAreUtf8() {
        if (wanted_ == nullptr) return;
        uselocale(before_);
        freelocale(wanted_);
    }
    NamesAreUtf8(const NamesAreUtf8&) = delete;
    NamesAreUtf8& operator=(const NamesAreUtf8&) = delete;

  private:
    locale_t wanted_, before_ = nullptr;
};

// A folder that goes with whatever ends the work.
struct Collecting {
    fs::path path;
    ~Collecting() {
        std::error_code none;
        fs::remove_all(path, none);
    }
};

std::string quoted(const fs::path& file) {
    return "“" + file.filename().string() + "”";
}

[[noreturn]] void refuse(const fs::path& file, const std::string& why) {
    throw Error(quoted(file) + " cannot be written: " + why +
                ". Make room there or choose another folder.");
}

[[noreturn]] void damaged(const fs::path& file, const std::string& why) {
    throw Error(quoted(file) + " is no whole pack (" + why +
                "); ask for it again, or for the session in a folder.");
}

std::string whyOf(archive* zip) {
    const char* why = archive_error_string(zip);
    return why != nullptr ? why : "nobody knows why";
}

std::vector<fs::path> filesUnder(const fs::path& folder) {
    std::vector<fs::path> out;
    for (const auto& entry : fs::recursive_directory_iterator(folder)) {
        if (entry.is_regular_file()) out.push_back(entry.path());
    }
    std::sort(out.begin(), out.end());
    return out;
}

void writeArchive(const fs::path& folder, const fs::path& file, const Progress& progress) {
    const NamesAreUtf8 names;
    const std::vector<fs::path> files = filesUnder(folder);
    const PackOut zip(archive_write_new(), archive_write_free);
    const auto check = [&](int code) {
        if (code < ARCHIVE_WARN) refuse(file, whyOf(zip.get()));
    };
    check(archive_write_set_format_zip(zip.get()));
    check(archive_write_set_options(zip.get(), "zip:compression=store"));
    check(archive_write_open_filename(zip.get(), file.c_str()));
    std::vector<char> bytes(1 << 16);
    for (std::size_t i = 0; i < files.size(); ++i) {
        report(progress, static_cast<double>(i) / static_cast<double>(files.size()),
               files[i].filename().string());
        const PackEntry entry(archive_entry_new(), archive_entry_free);
        archive_entry_set_pathname(entry.get(), files[i].lexically_relative(folder).c_str());
        archive_entry_set_size(entry.get(), static_cast<la_int64_t>(fs::file_size(files[i])));
        archive_entry_set_filetype(entry.get(), AE_IFREG);
        archive_entry_set_perm(entry.get(), 0644);
        check(archive_write_header(zip.get(), entry.get()));
        std::ifstream in(files[i], std::ios::binary);
        while (in.read(bytes.data(), static_cast<std::streamsize>(bytes.size())) ||
               in.gcount() > 0) {
            const auto count = static_cast<std::size_t>(in.gcount());
            if (archive_write_data(zip.get(), bytes.data(), count) !=
                static_cast<la_ssize_t>(count))
                refuse(file, whyOf(zip.get()));
        }
        if (!in.eof()) refuse(file, quoted(files[i]) + " cannot be read");
    }
    check(archive_write_close(zip.get()));
}

// Where a part of a pack goes; throws for names that lead out of the folder.
fs::path placeOf(archive_entry* entry, const fs::path& folder, const fs::path& file) {
    const char* name = archive_entry_pathname_utf8(entry);
    if (name == nullptr) name = archive_entry_pathname(entry);
    if (name == nullptr || *name == '\0') damaged(file, "a part of it has no name");
    const fs::path path = fs::path(name).lexically_normal();
    if (path.is_absolute() || *path.begin() == ".." || path == ".")
        damaged(file, "it names files outside itself");
    return folder / path;
}

void readArchive(const fs::path& file, const fs::path& folder, const Progress& progress) {
    const NamesAreUtf8 names;
    const PackIn zip(archive_read_new(), archive_read_free);
    archive_read_support_format_zip(zip.get());
    if (archive_read_open_filename(zip.get(), file.c_str(), 1 << 16) != ARCHIVE_OK)
        damaged(file, whyOf(zip.get()));
    const double whole = std::max(1.0, static_cast<double>(fs::file_size(file)));
    std::vector<char> bytes(1 << 16);
    archive_entry* entry = nullptr;
    for (;;) {
        const int next = archive_read_next_header(zip.get(), &entry);
        if (next == ARCHIVE_EOF) return;
        if (next < ARCHIVE_WARN) damaged(file, whyOf(zip.get()));
        if (archive_entry_filetype(entry) == AE_IFDIR) continue;
        const fs::path to = placeOf(entry, folder, file);
        if (archive_entry_filetype(entry) != AE_IFREG)
            damaged(file, "it holds something that is no file");
        fs::create_directories(to.parent_path());
        std::ofstream out(to, std::ios::binary);
        for (;;) {
            const la_ssize_t count = archive_read_data(zip.get(), bytes.data(), bytes.size());
            if (count < 0) damaged(file, whyOf(zip.get()));
            if (count == 0) break;
            out.write(bytes.data(), static_cast<std::streamsize>(count));
            report(progress, static_cast<double>(archive_filter_bytes(zip.get(), -1)) / whole,
                   to.filename().string());
        }
        out.close();
        if (!out) refuse(to, "the disk does not take it");
    }
}

Session likenessOf(const Session& session) {
    Session out = withoutItsSong(session);
    for (Row& row : out.rows) {
        for (Source& source : row.sources) source.file = fs::path(source.file).filename().string();
    }
    return out;
}

}  // namespace

Collected packSession(const Document& document, const AudioStore& store, const fs::path& file,
                      PackAs as, const Progress& progress) {
    const fs::path target = fs::absolute(file).lexically_normal();
    const Collecting scratch{target.parent_path() /
                             ("." + target.filename().string() + ".collecting")};
    const fs::path part = scratch.path / "pack", collected = scratch.path / "files";
    std::error_code code;
    fs::remove_all(scratch.path, code);
    try {
        fs::create_directories(scratch.path);
        Collected done = collectSession(
            as == PackAs::session ? document : Document(likenessOf(document.session())), store,
            collected, within(progress, 0.0, 0.5));
        if (as == PackAs::likeness) done.missing.clear();  // its recordings stay at home
        writeArchive(collected, part, within(progress, 0.5, 1.0));
        fs::rename(part, target);
        done.session = target;
        return done;
    } catch (const fs::filesystem_error& error) {
        refuse(target, error.code().message());
    }
}

bool isPack(const fs::path& file) {
    std::string ending = file.extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return ending == kPackEnding;
}

fs::path unpackSession(const fs::path& file, const fs::path& folder, const Progress& progress) {
    std::error_code code;
    if (!fs::is_regular_file(file, code))
        throw Error("There is no file “" + file.string() + "”; say where the pack is.");
    FreshFolder fresh(folder);
    try {
        fs::create_directories(fresh.path());
        readArchive(file, fresh.path(), progress);
        for (const auto& entry : fs::directory_iterator(fresh.path())) {
            if (entry.path().extension() != ".cask") continue;
            fresh.keep();
            return entry.path();
        }
    } catch (const fs::filesystem_error& error) {
        throw Error("“" + folder.string() + "” cannot be written: " + error.code().message() +
                    ". Choose a folder you may write to.");
    }
    damaged(file, "there is no session in it");
}

fs::path folderFor(const fs::path& pack, const fs::path& where) {
    const std::string name = pack.stem().string();
    fs::path folder = where / name;
    for (int n = 2; fs::exists(folder); ++n) folder = where / (name + " " + std::to_string(n));
    return folder;
}

}  // namespace ember
