#include "core/advise/intake_files.h"

#include "core/base/error.h"

#include <algorithm>
#include <map>
#include <set>

namespace ember {
namespace fs = std::filesystem;
namespace {

// "tom 2" before "tom 10".
bool naturalLess(const std::string& a, const std::string& b) {
    std::size_t i = 0, j = 0;
    const auto digit = [](char c) { return c >= '0' && c <= '9'; };
    while (i < a.size() && j < b.size()) {
        if (digit(a[i]) && digit(b[j])) {
            std::size_t k = i, l = j;
            while (k < a.size() && digit(a[k])) ++k;
            while (l < b.size() && digit(b[l])) ++l;
            std::string x = a.substr(i, k - i), y = b.substr(j, l - j);
            x.erase(0, std::min(x.find_first_not_of('0'), x.size()));
            y.erase(0, std::min(y.find_first_not_of('0'), y.size()));
            if (x.size() != y.size()) return x.size() < y.size();
            if (x != y) return x < y;
            i = k;
            j = l;
        } else if (a[i] != b[j]) {
            return a[i] < b[j];
        } else {
            ++i;
            ++j;
        }
    }
    return a.size() - i < b.size() - j;
}

int mostCommonRate(const std::vector<LoadedFile>& files) {
    std::map<int, int> votes;
    for (const LoadedFile& f : files) ++votes[f.info.sampleRate];
    const auto best =
        std::max_element(votes.begin(), votes.end(),
                         [](const auto& a, const auto& b) { return a.second < b.second; });
    // Mixing happens at a rate of the trade; anything else is converted.
    for (const int rate : {44100, 48000, 88200, 96000}) {
        if (best->first == rate) return rate;
    }
    return best->first > 96000 ? 96000 : 48000;
}

// Headers first: the rate of all is to be known before anything is decoded.
std::vector<LoadedFile> openFiles(const std::vector<fs::path>& found,
                                  std::vector<std::string>& refused) {
    std::vector<LoadedFile> files;
    for (const fs::path& path : found) {
        try {
            files.push_back({fs::absolute(path).lexically_normal(),
                             AudioReader(path).info(),
                             nullptr,
                             {},
                             readFileName(path.stem().string())});
        } catch (const Error& e) {
            refused.emplace_back(e.what());
        }
    }
    return files;
}

}  // namespace

std::vector<fs::path> findAudio(const std::vector<fs::path>& paths) {
    std::vector<fs::path> files;
    for (const fs::path& path : paths) {
        std::error_code code;
        if (!fs::is_directory(path, code)) {
            files.push_back(path);
            continue;
        }
        std::vector<fs::path> here;
        for (const auto& item : fs::directory_iterator(path, code)) {
            if (item.is_regular_file(code) && looksLikeAudio(item.path()))
                here.push_back(item.path());
        }
        if (code)
            throw Error("The folder “" + path.string() +
                        "” cannot be read: choose one you may open.");
        std::sort(here.begin(), here.end(), [](const fs::path& a, const fs::path& b) {
            return naturalLess(a.filename().string(), b.filename().string());
        });
        files.insert(files.end(), here.begin(), here.end());
    }
    std::set<fs::path> seen;
    std::erase_if(files, [&](const fs::path& f) {
        std::error_code code;
        const fs::path canonical = fs::weakly_canonical(f, code);
        return !seen.insert(code ? f : canonical).second;
    });
    return files;
}

LoadedFiles loadFiles(const std::vector<fs::path>& paths, AudioStore& store,
                      const Progress& progress, std::optional<int> sampleRate) {
    LoadedFiles out;
    std::vector<LoadedFile>& files = out.files;
    files = openFiles(findAudio(paths), out.refused);
    if (sampleRate)
        out.sampleRate = *sampleRate;
    else if (!files.empty())
        out.sampleRate = mostCommonRate(files);
    for (std::size_t i = 0; i < files.size(); ++i) {
        LoadedFile& file = files[i];
        const double share = 1.0 / static_cast<double>(files.size());
        const std::string what = "Reading " + file.path.filename().string();
        report(progress, static_cast<double>(i) * share, what);
        try {
            file.clip = store.open(file.path, out.sampleRate, [&](double part, const std::string&) {
                return !progress || progress((static_cast<double>(i) + part) * share, what);
            });
            file.hash = store.contentHash(file.path);
        } catch (const Cancelled&) {
            throw;
        } catch (const Error& e) {
            out.refused.emplace_back(e.what());
        }
    }
    std::erase_if(files, [](const LoadedFile& f) { return f.clip == nullptr; });
    if (!files.empty()) return out;
    if (out.refused.size() == 1) throw Error(out.refused[0]);
    const std::string where =
        paths.size() == 1 ? "“" + paths[0].string() + "”" : std::string("what was given");
    throw Error("There is no usable audio in " + where +
                ": choose WAV, AIFF, FLAC, Ogg or CAF files, or a folder that holds them." +
                (out.refused.empty() ? "" : " First: " + out.refused[0]));
}

}  // namespace ember
