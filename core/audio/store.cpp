#include "core/audio/store.h"

#include "core/base/error.h"
#include "core/base/hash.h"

#include <algorithm>
#include <cstdlib>
#include <fstream>
#include <vector>

namespace ember {
namespace fs = std::filesystem;

fs::path defaultCacheFolder() {
    if (const char* own = std::getenv("EMBER_CASK_CACHE")) return own;
    if (const char* xdg = std::getenv("XDG_CACHE_HOME")) return fs::path(xdg) / "ember-cask";
    if (const char* home = std::getenv("HOME")) return fs::path(home) / ".cache" / "ember-cask";
    return fs::temp_directory_path() / "ember-cask-cache";
}

AudioStore::AudioStore(fs::path cacheFolder) : folder_(std::move(cacheFolder)) {}

std::string AudioStore::contentHash(const fs::path& file) {
    std::error_code code;
    const auto size = fs::file_size(file, code);
    const auto changed = fs::last_write_time(file, code).time_since_epoch().count();
    if (code) return hashFile(file);  // throws with the reason
    const std::string stamp = std::to_string(size) + " " + std::to_string(changed);
    const fs::path memo = folder_ / "ids" / hashBytes(fs::absolute(file).string());
    {
        std::ifstream in(memo);
        std::string known, hash;
        if (std::getline(in, known) && known == stamp && std::getline(in, hash) &&
            hash.size() == 32)
            return hash;
    }
    std::string hash = hashFile(file);
    fs::create_directories(memo.parent_path(), code);
    std::ofstream(memo) << stamp << "\n" << hash << "\n";
    return hash;
}

std::shared_ptr<const Clip> AudioStore::open(const fs::path& file, int rate,
                                             const Progress& progress) {
    std::error_code code;
    if (!fs::is_regular_file(file, code)) {
        throw Error("“" + file.filename().string() + "” is not there (looked in “" +
                    file.parent_path().string() + "”): put it back or choose where it is now.");
    }
    const std::string name = contentHash(file) + "-" + std::to_string(rate);
    // One thread decodes a recording; others that want the same wait for it.
    std::shared_ptr<std::mutex> turn;
    {
        const std::lock_guard lock(mutex_);
        if (auto clip = open_[name].lock()) return clip;
        auto& mine = turns_[name];
        if (!mine) mine = std::make_shared<std::mutex>();
        turn = mine;
    }
    const std::lock_guard mine(*turn);
    {
        const std::lock_guard lock(mutex_);
        if (auto clip = open_[name].lock()) return clip;
    }
    fs::create_directories(folder_, code);
    if (code) {
        throw Error("The cache folder “" + folder_.string() +
                    "” cannot be made: set EMBER_CASK_CACHE to a folder you may write to.");
    }
    const fs::path cacheFile = folder_ / (name + ".audio");
    auto clip = Clip::open(file, rate, cacheFile, progress);
    fs::last_write_time(cacheFile, fs::file_time_type::clock::now(), code);
    const std::lock_guard lock(mutex_);
    open_[name] = clip;
    return clip;
}

std::shared_ptr<const AudioBuffer> AudioStore::derived(const std::string& key,
                                                       const std::function<AudioBuffer()>& make) {
    {
        const std::lock_guard lock(mutex_);
        std::erase_if(derived_, [](const auto& item) { return item.second.expired(); });
        if (const auto at = derived_.find(key); at != derived_.end()) {
            if (auto held = at->second.lock()) return held;
        }
    }
    // Two threads that want the same at once make it twice: it is the same.
    auto made = std::make_shared<const AudioBuffer>(make());
    const std::lock_guard lock(mutex_);
    derived_[key] = made;
    return made;
}

void AudioStore::trim(std::uintmax_t bytes) {
    struct Item {
        fs::file_time_type used;
        std::uintmax_t size;
        fs::path path;
    };
    std::vector<Item> items;
    std::uintmax_t total = 0;
    std::error_code code;
    for (const auto& entry : fs::directory_iterator(folder_, code)) {
        if (!entry.is_regular_file(code) || entry.path().extension() == ".part") continue;
        items.push_back({entry.last_write_time(code), entry.file_size(code), entry.path()});
        total += items.back().size;
    }
    std::sort(items.begin(), items.end(),
              [](const Item& a, const Item& b) { return a.used < b.used; });
    for (const Item& item : items) {
        if (total <= bytes) break;
        if (fs::remove(item.path, code)) total -= item.size;
    }
}

}  // namespace ember
