#include "core/library/library.h"

#include "core/audio/file.h"
#include "core/audio/store.h"
#include "core/base/error.h"
#include "core/base/hash.h"
#include "core/measure/who/file_name.h"
#include "core/measure/who/one_shot.h"

#include <sqlite3.h>

#include <algorithm>
#include <cctype>
#include <cstring>
#include <map>
#include <mutex>
#include <set>
#include <sstream>
#include <type_traits>

namespace ember {
namespace fs = std::filesystem;
namespace {

// Raise it when features are read otherwise: the index is then made anew.
constexpr int kIndexVersion = 2;

// They are kept as they lie in memory; another layout is another version.
static_assert(std::is_trivially_copyable_v<SoundFeatures>);

std::string lowered(std::string text) {
    std::transform(text.begin(), text.end(), text.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return text;
}

// One statement, bound in order and stepped through.
class Statement {
  public:
    Statement(sqlite3* base, const char* sql) : base_(base) {
        if (sqlite3_prepare_v2(base, sql, -1, &statement_, nullptr) != SQLITE_OK)
            throw Error(std::string("The library's index: ") + sqlite3_errmsg(base) + ".");
    }
    ~Statement() { sqlite3_finalize(statement_); }
    Statement(const Statement&) = delete;
    Statement& operator=(const Statement&) = delete;

    Statement& text(const std::string& value) {
        sqlite3_bind_text(statement_, ++bound_, value.data(), static_cast<int>(value.size()),
                          SQLITE_TRANSIENT);
        return *this;
    }
    Statement& number(double value) {
        sqlite3_bind_double(statement_, ++bound_, value);
        return *this;
    }
    Statement& whole(std::int64_t value) {
        sqlite3_bind_int64(statement_, ++bound_, value);
        return *this;
    }
    Statement& bytes(const void* data, std::size_t size) {
        sqlite3_bind_blob(statement_, ++bound_, data, static_cast<int>(size), SQLITE_TRANSIENT);
        return *this;
    }
    // Whether there is a row (more).
    bool step() {
        const int what = sqlite3_step(statement_);
        if (what == SQLITE_ROW) return true;
        if (what != SQLITE_DONE)
            throw Error(std::string("The library's index: ") + sqlite3_errmsg(base_) + ".");
        return false;
    }
    [[nodiscard]] std::string textAt(int column) const {
        const auto* data = static_cast<const char*>(sqlite3_column_blob(statement_, column));
        return data == nullptr
                   ? std::string()
                   : std::string(
                         data, static_cast<std::size_t>(sqlite3_column_bytes(statement_, column)));
    }
    [[nodiscard]] double numberAt(int column) const {
        return sqlite3_column_double(statement_, column);
    }
    [[nodiscard]] std::int64_t wholeAt(int column) const {
        return sqlite3_column_int64(statement_, column);
    }

  private:
    sqlite3* base_;
    sqlite3_stmt* statement_ = nullptr;
    int bound_ = 0;
};

void run(sqlite3* base, const char* sql) {
    char* why = nullptr;
    if (sqlite3_exec(base, sql, nullptr, nullptr, &why) == SQLITE_OK) return;
    const std::string text = why != nullptr ? why : "unknown";
    sqlite3_free(why);
    throw Error("The library's index: " + text + ".");
}

struct FileStamp {
    std::int64_t size = 0, changed = 0;
    bool operator==(const FileStamp&) const = default;
};

FileStamp stampOf(const fs::path& file) {
    std::error_code code;
    return {static_cast<std::int64_t>(fs::file_size(file, code)),
            static_cast<std::int64_t>(fs::last_write_time(file, code).time_since_epoch().count())};
}

// Everything below the folders that looks like audio.
std::vector<fs::path> filesBelow(const std::vector<fs::path>& folders) {
    std::set<fs::path> out;
    for (const fs::path& folder : folders) {
        std::error_code code;
        const fs::path whole = fs::absolute(folder).lexically_normal();
        fs::recursive_directory_iterator at(whole, fs::directory_options::skip_permission_denied,
                                            code);
        if (code)
            throw Error("The folder “" + folder.string() +
                        "” cannot be read: choose one you may open.");
        for (; at != fs::recursive_directory_iterator(); at.increment(code)) {
            if (code) break;
            if (at->is_regular_file(code) && looksLikeAudio(at->path())) out.insert(at->path());
        }
    }
    return {out.begin(), out.end()};
}

bool isBelow(const fs::path& file, const std::vector<fs::path>& folders) {
    return std::any_of(folders.begin(), folders.end(), [&](const fs::path& folder) {
        const fs::path relative = file.lexically_relative(fs::absolute(folder).lexically_normal());
        return !relative.empty() && *relative.begin() != "..";
    });
}

AudioBuffer readShort(const fs::path& file) {
    const AudioFileInfo info = AudioReader(file).info();
    if (static_cast<double>(info.frames) > kLongestOneShot * info.sampleRate)
        throw Error("“" + file.filename().string() +
                    "” is longer than 30 s and no one-shot; it is passed over.");
    return readAudio(file);
}

LibrarySound readSound(const fs::path& file) {
    const AudioBuffer audio = readShort(file);
    LibrarySound out;
    out.file = file;
    out.hash = hashFile(file);
    out.sampleRate = static_cast<int>(audio.sampleRate);
    out.channels = static_cast<int>(audio.channels.size());
    out.features = soundFeatures(audio.channels.front(), audio.sampleRate);
    const NameReading name = readFileName(file.stem().string());
    if (drumRole(name.role) != Role::unknown && name.sure >= kSureEnough) {
        out.role = drumRole(name.role);
        out.sure = name.sure;
    } else {
        const Likely heard = oneShotRole(oneShotTraits(audio.channels.front(), audio.sampleRate));
        out.role = heard.role;
        out.sure = heard.sure;
    }
    return out;
}

}  // namespace

struct Library::Handle {
    sqlite3* base = nullptr;
    mutable std::mutex mutex;  // scanning and searching may be on two threads

    ~Handle() { sqlite3_close(base); }

    void open(const fs::path& index) {
        if (sqlite3_open(index.c_str(), &base) != SQLITE_OK)
            throw Error("The library's index “" + index.string() +
                        "” cannot be opened: " + sqlite3_errmsg(base) + ".");
        run(base, "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL;");
        bool sound = true;
        {
            Statement check(base, "PRAGMA quick_check(1)");
            sound = check.step() && check.textAt(0) == "ok";
        }
        if (!sound) throw Error("damaged");
        Statement version(base, "PRAGMA user_version");
        version.step();
        if (version.wholeAt(0) != kIndexVersion) run(base, "DROP TABLE IF EXISTS sounds;");
        run(base,
            "CREATE TABLE IF NOT EXISTS sounds (file BLOB PRIMARY KEY, size INTEGER, changed "
            "INTEGER, hash TEXT, role TEXT, sure REAL, rate INTEGER, channels INTEGER, "
            "features BLOB, refused TEXT);"
            "CREATE TABLE IF NOT EXISTS folders (folder BLOB PRIMARY KEY);");
        run(base, ("PRAGMA user_version=" + std::to_string(kIndexVersion) + ";").c_str());
    }

    void put(const LibrarySound& s, const FileStamp& stamp, const std::string& refused) const {
        Statement insert(base, "INSERT OR REPLACE INTO sounds VALUES (?,?,?,?,?,?,?,?,?,?)");
        insert.text(s.file.string()).whole(stamp.size).whole(stamp.changed).text(s.hash);
        insert.text(std::string(toString(s.role))).number(s.sure).whole(s.sampleRate);
        insert.whole(s.channels).bytes(&s.features, sizeof s.features).text(refused);
        insert.step();
    }

    template <typename Each>
    void each(Each each) const {
        Statement all(base,
                      "SELECT file, hash, role, sure, rate, channels, features FROM "
                      "sounds WHERE refused = '' ORDER BY file");
        while (all.step()) {
            const std::string bytes = all.textAt(6);
            if (bytes.size() != sizeof(SoundFeatures)) continue;
            LibrarySound s;
            s.file = all.textAt(0);
            s.hash = all.textAt(1);
            s.role = roleFrom(all.textAt(2));
            s.sure = all.numberAt(3);
            s.sampleRate = static_cast<int>(all.wholeAt(4));
            s.channels = static_cast<int>(all.wholeAt(5));
            std::memcpy(&s.features, bytes.data(), bytes.size());
            each(std::move(s));
        }
    }
};

namespace {

bool takes(const LibrarySearch& search, const std::vector<std::string>& words,
           const LibrarySound& s) {
    const std::string path = lowered(s.file.string());
    const SoundFeatures& f = s.features;
    return std::all_of(words.begin(), words.end(),
                       [&](const std::string& w) { return path.find(w) != std::string::npos; }) &&
           (!search.role || s.role == *search.role) &&
           (!search.leastHertz || f.fundamentalHz >= *search.leastHertz) &&
           (!search.mostHertz || (f.fundamentalHz > 0.0 && f.fundamentalHz <= *search.mostHertz)) &&
           (!search.mostSeconds || f.seconds <= *search.mostSeconds) &&
           (!search.notHint || f.hint != *search.notHint);
}

std::vector<std::string> wordsOf(const std::string& text) {
    std::istringstream in(lowered(text));
    std::vector<std::string> out;
    for (std::string word; in >> word;) out.push_back(word);
    return out;
}

}  // namespace

Library::Library(const fs::path& index) : handle_(std::make_unique<Handle>()) {
    std::error_code code;
    fs::create_directories(index.parent_path(), code);
    try {
        handle_->open(index);
    } catch (const Error&) {
        if (!fs::exists(index, code)) throw;
        handle_ = std::make_unique<Handle>();
        fs::path aside = index;
        aside += ".damaged";
        fs::rename(index, aside, code);
        for (const char* more : {"-wal", "-shm"}) fs::remove(index.string() + more, code);
        remark_ = "The library's index was damaged; it was set aside as “" +
                  aside.filename().string() + "” and is made anew: scan your folders again.";
        handle_->open(index);
    }
}

Library::~Library() = default;

LibraryScan Library::scan(const std::vector<fs::path>& folders, const Progress& progress) {
    constexpr std::size_t kAtATime = 200;  // files in one go to the disk
    LibraryScan out;
    const std::vector<fs::path> files = filesBelow(folders);
    out.found = static_cast<int>(files.size());
    std::map<std::string, std::pair<FileStamp, std::string>> known;
    {
        const std::lock_guard lock(handle_->mutex);
        Statement all(handle_->base, "SELECT file, size, changed, refused FROM sounds");
        while (all.step()) known[all.textAt(0)] = {{all.wholeAt(1), all.wholeAt(2)}, all.textAt(3)};
    }
    struct Fresh {
        LibrarySound sound;
        FileStamp stamp;
        std::string refused;
    };
    std::vector<Fresh> fresh;
    const auto write = [&] {
        const std::lock_guard lock(handle_->mutex);
        run(handle_->base, "BEGIN");
        for (const Fresh& f : fresh) handle_->put(f.sound, f.stamp, f.refused);
        run(handle_->base, "COMMIT");
        fresh.clear();
    };
    for (std::size_t i = 0; i < files.size(); ++i) {
        const fs::path& file = files[i];
        if (progress && !progress(static_cast<double>(i) / static_cast<double>(files.size()),
                                  "Listening to " + file.filename().string())) {
            write();
            throw Cancelled();
        }
        const FileStamp stamp = stampOf(file);
        const auto at = known.find(file.string());
        if (at != known.end() && at->second.first == stamp) {
            ++out.unchanged;
            if (!at->second.second.empty()) out.refused.push_back(at->second.second);
            continue;
        }
        Fresh next{{}, stamp, {}};
        try {
            next.sound = readSound(file);
            ++out.added;
        } catch (const Error& error) {
            next.sound.file = file;
            next.refused = error.what();
            out.refused.push_back(next.refused);
        }
        fresh.push_back(std::move(next));
        if (fresh.size() >= kAtATime) write();
    }
    write();
    const std::lock_guard lock(handle_->mutex);
    for (const fs::path& folder : folders) {
        Statement remember(handle_->base, "INSERT OR IGNORE INTO folders VALUES (?)");
        remember.text(fs::absolute(folder).lexically_normal().string()).step();
    }
    const std::set<fs::path> there(files.begin(), files.end());
    for (const auto& [file, stamp] : known) {
        if (there.contains(file) || !isBelow(file, folders)) continue;
        Statement forget(handle_->base, "DELETE FROM sounds WHERE file = ?");
        forget.text(file).step();
        ++out.gone;
    }
    return out;
}

std::vector<fs::path> Library::folders() const {
    const std::lock_guard lock(handle_->mutex);
    std::vector<fs::path> out;
    Statement all(handle_->base, "SELECT folder FROM folders ORDER BY folder");
    while (all.step()) out.emplace_back(all.textAt(0));
    return out;
}

void Library::forget(const fs::path& folder) {
    const std::lock_guard lock(handle_->mutex);
    Statement gone(handle_->base, "DELETE FROM folders WHERE folder = ?");
    gone.text(folder.string()).step();
    std::vector<std::string> below;
    {
        Statement all(handle_->base, "SELECT file FROM sounds");
        while (all.step()) {
            if (isBelow(all.textAt(0), {folder})) below.push_back(all.textAt(0));
        }
    }
    for (const std::string& file : below) {
        Statement forget(handle_->base, "DELETE FROM sounds WHERE file = ?");
        forget.text(file).step();
    }
}

std::size_t Library::size() const {
    const std::lock_guard lock(handle_->mutex);
    Statement count(handle_->base, "SELECT COUNT(*) FROM sounds WHERE refused = ''");
    count.step();
    return static_cast<std::size_t>(count.wholeAt(0));
}

std::vector<LibrarySound> Library::search(const LibrarySearch& search) const {
    const std::vector<std::string> words = wordsOf(search.words);
    std::vector<LibrarySound> out;
    const std::lock_guard lock(handle_->mutex);
    handle_->each([&](LibrarySound s) {
        if (static_cast<int>(out.size()) < search.limit && takes(search, words, s))
            out.push_back(std::move(s));
    });
    return out;
}

std::vector<LibraryMatch> Library::similar(std::span<const SoundFeatures> to,
                                           const LibrarySearch& within,
                                           const std::string& but) const {
    const std::vector<std::string> words = wordsOf(within.words);
    std::vector<LibraryMatch> out;
    {
        const std::lock_guard lock(handle_->mutex);
        handle_->each([&](LibrarySound s) {
            if ((but.empty() || s.hash != but) && takes(within, words, s)) {
                const double distance = soundDistance(to, s.features);
                out.push_back({std::move(s), distance});
            }
        });
    }
    const auto count = std::min(out.size(), static_cast<std::size_t>(std::max(0, within.limit)));
    std::partial_sort(
        out.begin(), out.begin() + static_cast<std::ptrdiff_t>(count), out.end(),
        [](const LibraryMatch& a, const LibraryMatch& b) { return a.distance < b.distance; });
    out.resize(count);
    return out;
}

fs::path defaultLibraryIndex() {
    // In a folder of its own: what was not used for longest is removed from the cache itself.
    return defaultCacheFolder() / "library" / "index.sqlite";
}

std::vector<SoundFeatures> featuresOf(const fs::path& file) {
    const AudioBuffer audio = readShort(file);
    return transposedFeatures(audio.channels.front(), audio.sampleRate);
}

}  // namespace ember
