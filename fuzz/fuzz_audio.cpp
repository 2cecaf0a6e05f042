// Any bytes as an audio file: an Error with a sentence or audio, never anything else.

#include "core/audio/file.h"
#include "core/base/error.h"

#include <unistd.h>

#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>
#include <vector>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    static const std::filesystem::path file = std::filesystem::temp_directory_path() /
                                              ("ember-fuzz-" + std::to_string(getpid()) + ".wav");
    std::ofstream(file, std::ios::binary)
        .write(reinterpret_cast<const char*>(data), static_cast<std::streamsize>(size));
    try {
        ember::AudioReader reader(file);
        std::vector<float> piece(static_cast<std::size_t>(reader.info().channels) * 4096);
        // A header may promise hours; what comes is what is in the file.
        for (int n = 0; n < 64 && reader.read(piece) > 0; ++n) continue;
    } catch (const ember::Error& error) {
        if (std::string(error.what()).empty()) std::abort();
    }
    return 0;
}
