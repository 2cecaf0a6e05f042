// Prints: what a row sounds like behind its chain, made into audio in files of its own.
//
// A row with a print is frozen: it plays the print in place of its sound and its chain, as long as
// that is what it would sound like. Its fader, pan, width, mute and sends stay live. An edit that
// changes its sound lets it play live again; the print stays, and serves again once the edit is
// taken back.
#pragma once

#include "core/session/source.h"

#include <cstdint>
#include <string>
#include <vector>

namespace ember {

struct Print {
    std::vector<Source> audio;  // a channel each, from song time `offset` on
    std::string recipe;         // recipeOf() the row when it was made (session/recipe.h)
    std::int64_t time = 0;      // seconds since 1970, UTC
    std::string extra = {};     // unknown fields of the file, kept (JSON object text)
    bool operator==(const Print&) const = default;
};

// What a row's recordings were printed of, which is another row of the session.
struct PrintedOf {
    std::string row;
    std::string recipe;      // of that row when it was made
    double semitones = 0.0;  // by which it was shifted, kLowestShift to kHighestShift
    std::int64_t time = 0;
    std::string extra = {};
    bool operator==(const PrintedOf&) const = default;
};
inline constexpr double kLowestShift = -24.0, kHighestShift = 24.0;

}  // namespace ember
