// The files of an intake: found, opened, read to the end, and named.
#pragma once

#include "core/audio/file.h"
#include "core/audio/store.h"
#include "core/measure/who/file_name.h"

#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace ember {

struct LoadedFile {
    std::filesystem::path path;  // absolute
    AudioFileInfo info;
    std::shared_ptr<const Clip> clip;  // at the intake's rate
    std::string hash;
    NameReading byName;
};

struct LoadedFiles {
    std::vector<LoadedFile> files;
    std::vector<std::string> refused;  // a sentence for each that cannot be used
    int sampleRate = 48000;            // the commonest of them, or the nearest usual one
};

// The audio files among `paths`, folders searched one level deep, in natural order of names. Throws
// Error for a folder that cannot be read.
std::vector<std::filesystem::path> findAudio(const std::vector<std::filesystem::path>& paths);
// All of them decoded, at `sampleRate` or, without one, at that of most of them. Throws Error when
// nothing is usable, Cancelled when progress says so.
LoadedFiles loadFiles(const std::vector<std::filesystem::path>& paths, AudioStore& store,
                      const Progress& progress, std::optional<int> sampleRate = {});

}  // namespace ember
