// What has to be looked at in a RIFF file before a library reads it.
#pragma once

#include <filesystem>

namespace ember {

// Whether a list of texts (LIST, INFO) in front of the sound of a WAV file claims more than it
// holds. The library that reads the file would go round in it for ever. False for other files and
// for what cannot be opened.
bool hasBrokenList(const std::filesystem::path& file);

}  // namespace ember
