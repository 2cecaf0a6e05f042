#include "core/engine/plan_clock.h"

#include <utility>

namespace ember {

Frames PlanClock::place(Frames song) const {
    const Frames at = song + time_.offset;
    if (!loops()) return at;
    const Frames length = time_.loopTo - time_.loopFrom, in = (at - time_.loopFrom) % length;
    return time_.loopFrom + (in < 0 ? in + length : in);
}

BlockPlay PlanClock::of(const BlockPlay& song) {
    using Mode = BlockPlay::Mode;
    if (isSong()) return song;
    BlockPlay own = song;
    own.position = place(song.position);
    if (loops()) {
        own.loopFrom = time_.loopFrom;
        own.loopTo = time_.loopTo;
    } else if (song.loopTo > 0) {
        own.loopFrom = place(song.loopFrom);
        own.loopTo = place(song.loopTo);
    }
    if (song.mode == Mode::silent) {
        next_ = -1;
        return own;
    }
    const Frames goesOn = std::exchange(next_, own.position + kBlock);
    if (goesOn < 0) {
        own.mode = Mode::fadeIn;
    } else if (song.mode == Mode::fadeOut) {
        own.position = goesOn;
    } else if (song.mode != Mode::fadeIn && own.position != goesOn) {
        own.mode = Mode::jump;
        own.from = goesOn;
    } else if (song.mode == Mode::jump) {
        // The song goes back and this one happens to go on.
        own.mode = Mode::play;
    }
    return own;
}

}  // namespace ember
