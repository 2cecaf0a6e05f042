// A recording taken apart into its drums, as files.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/measure/separate/part_sound.h"
#include "core/session/session.h"

#include <filesystem>
#include <string>
#include <vector>

namespace ember {

struct PartFile {
    std::string row, drum;  // drum: an id, or "rest" for what belongs to none
    std::filesystem::path file;
    double loudnessDb = -150.0;  // RMS over the whole, dBFS
};

// What each drum gives each of these rows (none named: every microphone): ROW__DRUM.wav and
// ROW__rest.wav, 32-bit float at the session's rate, as long as the recording and beginning with
// it; the parts of a row add up to its recording. Throws Error or Cancelled.
std::vector<PartFile> writeParts(const Session& session, AudioStore& store, const BleedModel& model,
                                 const std::vector<std::string>& rows,
                                 const std::filesystem::path& folder,
                                 const Progress& progress = {});

}  // namespace ember
