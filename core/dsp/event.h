// What happens at a moment of the song: a stroke that was heard, a note that is programmed. One
// kind of event for all that strokes drive.
#pragma once

#include "core/base/units.h"

namespace ember {

enum class StrokeKind { accent, normal, ghost, flam };

struct Event {
    Frames frame = 0;  // of song time
    StrokeKind kind = StrokeKind::normal;
    float velocity = 1.0F;  // 0..1
    int articulation = 0;   // which way it is struck; 0: the usual one
    Frames length = 0;      // 0: it rings as long as it does
    int note = -1;          // MIDI note where it is one, else -1
    bool operator==(const Event&) const = default;
};

// An event as a processor is told of it, in a block. The stroke itself comes out of the processor
// at frame - age + its strokeLead(), counted from the start of the block.
struct BlockEvent {
    int frame = 0;   // of the block, ascending: from when on it counts
    Frames age = 0;  // more than 0: it is so much older, for sound starts in the middle of it
    // From here on another place of the song is heard: what was told and has not come out by then
    // does not come. `event` means nothing.
    bool anew = false;
    Event event = {};
};

}  // namespace ember
