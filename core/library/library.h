// The library of sounds: folders scanned into an index (SQLite), searched by words, by ranges and
// by likeness. The index holds nothing that cannot be read from the files again.
#pragma once

#include "core/base/progress.h"
#include "core/library/sound_features.h"
#include "core/session/session.h"

#include <cstdint>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace ember {

struct LibrarySound {
    std::filesystem::path file;
    std::string hash;  // of its content
    Role role = Role::unknown;
    double sure = 0.0;  // of the role
    int sampleRate = 0, channels = 0;
    SoundFeatures features;
};

struct LibraryScan {
    int found = 0, added = 0, unchanged = 0, gone = 0;
    std::vector<std::string> refused;  // a sentence for each file that cannot be used
};

struct LibrarySearch {
    std::string words;  // all of them in the path, any case; empty: all
    std::optional<Role> role;
    std::optional<double> leastHertz, mostHertz;  // of the fundamental
    std::optional<double> mostSeconds;
    std::optional<SoundHint> notHint;  // leave out what this was done to
    int limit = 100;
};

struct LibraryMatch {
    LibrarySound sound;
    double distance = 0.0;  // soundDistance()
};

// What is longer is no one-shot and is passed over.
inline constexpr double kLongestOneShot = 30.0;  // seconds

class Library {
  public:
    // Opens the index or begins one. One that is damaged is set aside (".damaged") and a new one
    // begun; remark() says so. Throws Error where the folder cannot be written to.
    explicit Library(const std::filesystem::path& index);
    ~Library();
    Library(const Library&) = delete;
    Library& operator=(const Library&) = delete;

    [[nodiscard]] const std::string& remark() const { return remark_; }
    // Reads what is new or has changed below the folders (all levels), and forgets what is gone
    // from them. Stops where progress says so; what was read until then stays. Throws Cancelled
    // then, and Error for a folder that cannot be read.
    LibraryScan scan(const std::vector<std::filesystem::path>& folders,
                     const Progress& progress = {});
    // The folders that were scanned, for the next time.
    [[nodiscard]] std::vector<std::filesystem::path> folders() const;
    // Forgets a folder and what was found below it; the files stay as they are.
    void forget(const std::filesystem::path& folder);
    [[nodiscard]] std::size_t size() const;
    [[nodiscard]] std::vector<LibrarySound> search(const LibrarySearch& search) const;
    // The most alike first, whatever their pitch (transposedFeatures() of what is asked for); files
    // of the same content as `but` are left out.
    [[nodiscard]] std::vector<LibraryMatch> similar(std::span<const SoundFeatures> to,
                                                    const LibrarySearch& within = {},
                                                    const std::string& but = {}) const;

  private:
    struct Handle;
    std::unique_ptr<Handle> handle_;
    std::string remark_;
};

std::filesystem::path defaultLibraryIndex();
// transposedFeatures() of a file's first channel. Throws Error.
std::vector<SoundFeatures> featuresOf(const std::filesystem::path& file);

}  // namespace ember
