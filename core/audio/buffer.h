// Planar audio in memory.
#pragma once

#include <cstddef>
#include <vector>

namespace ember {

// channels x frames samples, nominal full scale +-1.
struct AudioBuffer {
    double sampleRate = 48000.0;
    std::vector<std::vector<float>> channels;

    [[nodiscard]] std::size_t frames() const { return channels.empty() ? 0 : channels[0].size(); }
    bool operator==(const AudioBuffer&) const = default;
};

}  // namespace ember
