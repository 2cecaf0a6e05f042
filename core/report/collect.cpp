#include "core/report/collect.h"

#include "core/base/error.h"
#include "core/measure/separate/kept_models.h"
#include "core/session/file.h"

#include <algorithm>
#include <map>
#include <set>

namespace ember {
namespace fs = std::filesystem;
namespace {

// "take 2.wav", "take 2 (2).wav": a name nobody has in the folder yet, whatever its case.
std::string freeName(const fs::path& file, std::set<std::string>& taken) {
    const auto key = [](std::string name) {
        std::transform(name.begin(), name.end(), name.begin(),
                       [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
        return name;
    };
    std::string name = file.filename().string();
    for (int n = 2; !taken.insert(key(name)).second; ++n)
        name = file.stem().string() + " (" + std::to_string(n) + ")" + file.extension().string();
    return name;
}

// "Song of May" as the name of a file.
std::string fileName(std::string name) {
    std::replace_if(
        name.begin(), name.end(), [](char c) { return c == '/' || c == '\\' || c == '\0'; }, '-');
    return name.empty() || name.front() == '.' ? "Session" : name;
}

class Collector {
  public:
    Collector(const AudioStore& store, fs::path folder, const Progress& progress)
        : store_(store), folder_(std::move(folder)), progress_(progress) {}

    Collected run(const Document& document) {
        Session session = document.session();
        std::uintmax_t all = 0;
        eachSessionFile(session, [&](Source& source) {
            std::error_code none;
            if (sizes_.contains(source.file)) return;
            const std::uintmax_t size = fs::file_size(source.file, none);
            sizes_[source.file] = none ? 0 : size;
            if (!none) all += size;
        });
        fs::create_directories(folder_ / "audio");
        eachSessionFile(session, [&](Source& source) { source.file = copied(source.file, all); });
        out_.session = folder_ / (fileName(session.name) + ".cask");
        keepModelsBeside(session, store_, out_.session);
        saveDocument(out_.session,
                     Document(withRelativePaths(std::move(session), out_.session), document.log()));
        return std::move(out_);
    }

  private:
    std::string copied(const std::string& file, std::uintmax_t all) {
        if (const auto known = places_.find(file); known != places_.end()) return known->second;
        const fs::path from = file;
        if (!from.is_absolute() || !fs::is_regular_file(from)) {
            out_.missing.push_back(from.filename().string());
            return places_[file] = file;
        }
        const double part =
            all == 0 ? 1.0 : static_cast<double>(out_.bytes) / static_cast<double>(all);
        if (progress_ && !progress_(part, from.filename().string())) throw Cancelled();
        const fs::path to = folder_ / "audio" / freeName(from, taken_);
        std::error_code code;
        fs::copy_file(from, to, code);
        if (code)
            throw Error("“" + from.filename().string() + "” could not be copied to “" +
                        folder_.string() + "”: " + code.message() +
                        ". Make room there or choose another folder.");
        ++out_.files;
        out_.bytes += sizes_[file];
        return places_[file] = to.string();
    }

    const AudioStore& store_;
    fs::path folder_;
    const Progress& progress_;
    std::map<std::string, std::uintmax_t> sizes_;
    std::map<std::string, std::string> places_;  // by where a file was
    std::set<std::string> taken_;
    Collected out_;
};

}  // namespace

FreshFolder::FreshFolder(const fs::path& folder) : path_(fs::absolute(folder).lexically_normal()) {
    std::error_code code;
    there_ = fs::exists(path_, code);
    if (there_ && (!fs::is_directory(path_, code) || !fs::is_empty(path_, code)))
        throw Error("“" + folder.string() +
                    "” holds something already: choose a folder that is new or empty.");
}

FreshFolder::~FreshFolder() {
    if (kept_) return;
    std::error_code code;
    // It was empty: what is in it was made here.
    for (const auto& entry : fs::directory_iterator(path_, code))
        fs::remove_all(entry.path(), code);
    if (!there_) fs::remove(path_, code);
}

Collected collectSession(const Document& document, const AudioStore& store, const fs::path& folder,
                         const Progress& progress) {
    FreshFolder fresh(folder);
    try {
        Collected done = Collector(store, fresh.path(), progress).run(document);
        fresh.keep();
        return done;
    } catch (const fs::filesystem_error& error) {
        throw Error("“" + folder.string() + "” cannot be written: " + error.code().message() +
                    ". Choose a folder you may write to.");
    }
}

}  // namespace ember
