// Where the song is before a block, and how long it takes to another place of it. Plain values;
// real-time safe.
#pragma once

#include "core/engine/row_source.h"

#include <optional>

namespace ember {

struct SongPlace {
    Frames position = 0;
    bool playing = false;
    double rate = 48000.0;            // Hz
    Frames loopFrom = 0, loopTo = 0;  // none where `loopTo` is not behind `loopFrom`

    // Frames until the song is at `at`, round its loop where it lies behind; negative, but half a
    // second at most, where it has only just gone by. None where nobody should wait: it stands, has
    // gone elsewhere, or would be there in more than ten seconds.
    [[nodiscard]] std::optional<Frames> until(Frames at) const {
        constexpr double kPassed = 0.5, kFar = 10.0;  // seconds
        if (!playing || at < 0) return {};
        const auto frames = [this](double seconds) { return static_cast<Frames>(seconds * rate); };
        Frames wait = at - position;
        const bool inLoop = loopTo > loopFrom && position < loopTo;
        if (inLoop && wait < -frames(kPassed) && at >= loopFrom)
            wait = loopTo - position + at - loopFrom;
        else if (inLoop && at >= loopTo)
            return {};
        if (wait < -frames(kPassed) || wait > frames(kFar)) return {};
        return wait;
    }
};

}  // namespace ember
