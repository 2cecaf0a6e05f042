// What was measured of a kit, kept on disk: a plain binary file, written and read on this machine
// alone, with its own checksum. A damaged one counts as none.
#pragma once

#include "core/measure/kit/kit_measure.h"

#include <filesystem>
#include <optional>

namespace ember {

// Empty when there is no such file or it cannot be trusted. Any thread.
std::optional<KitStrokes> loadStrokes(const std::filesystem::path& file);
std::optional<KitMeasurement> loadMeasurement(const std::filesystem::path& file);
// Appear only when complete; a disk that is full leaves nothing behind and is no error.
void keepStrokes(const std::filesystem::path& file, const KitStrokes& strokes);
void keepMeasurement(const std::filesystem::path& file, const KitMeasurement& measurement);

}  // namespace ember
