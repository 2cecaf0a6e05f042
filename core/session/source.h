// A file that a row plays, and where.
#pragma once

#include <string>

namespace ember {

// One channel of one file. `file` is relative to the session's folder where it can be. Of the sound
// of a layer, the whole file: channel and offset are 0.
struct Source {
    std::string file;
    std::string hash;     // content, XXH3-128; empty when unknown
    int channel = 0;      // 0-based
    double offset = 0.0;  // seconds later than song zero
    std::string extra = {};
    bool operator==(const Source&) const = default;
};

}  // namespace ember
