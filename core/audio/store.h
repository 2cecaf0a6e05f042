// Where decoded recordings are found: one Clip per file content and rate, kept in
// a cache folder by content hash, so that nothing is decoded twice.
#pragma once

#include "core/audio/buffer.h"
#include "core/audio/clip.h"

#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <string>

namespace ember {

// $EMBER_CASK_CACHE, or ember-cask in the user's cache folder.
std::filesystem::path defaultCacheFolder();

class AudioStore {
  public:
    explicit AudioStore(std::filesystem::path cacheFolder = defaultCacheFolder());

    // The recording at `rate` Hz, decoded on first use. Thread-safe; throws Error.
    std::shared_ptr<const Clip> open(const std::filesystem::path& file, int rate,
                                     const Progress& progress = {});
    // Content hash of a file, remembered by path, size and time of change.
    std::string contentHash(const std::filesystem::path& file);
    // What was worked out of recordings under a key that names all it depends on, in memory as long
    // as somebody holds it; made where nobody does. Thread-safe; throws what `make` throws.
    std::shared_ptr<const AudioBuffer> derived(const std::string& key,
                                               const std::function<AudioBuffer()>& make);
    // Removes the least recently used cache files until at most `bytes` remain.
    void trim(std::uintmax_t bytes);

    [[nodiscard]] const std::filesystem::path& folder() const { return folder_; }

  private:
    std::filesystem::path folder_;
    std::mutex mutex_;
    std::map<std::string, std::weak_ptr<const Clip>> open_;  // by hash and rate
    std::map<std::string, std::weak_ptr<const AudioBuffer>> derived_;
    std::map<std::string, std::shared_ptr<std::mutex>> turns_;  // who decodes, by the same
};

}  // namespace ember
