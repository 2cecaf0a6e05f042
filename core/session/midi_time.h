// The tempi and metres of a Standard MIDI file (formats 0 and 1).
#pragma once

#include "core/session/time_map.h"

#include <filesystem>
#include <string>

namespace ember {

// From the file's bytes; `name` is for sentences. Bar 1 begins at second 0. A metre that changes
// inside a bar holds from the next bar on; a file without tempo has 120 in 4/4, as the standard
// says. Throws Error where it is no such file, where it counts film frames in place of beats, and
// for tempi and metres beyond what a TimeMap takes.
TimeMap midiTime(const std::string& bytes, const std::string& name);
// The same from a file of at most 64 MB. Throws Error.
TimeMap loadMidiTime(const std::filesystem::path& file);

}  // namespace ember
