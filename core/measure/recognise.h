// What a recording is, simply, by its sound.
#pragma once

#include "core/audio/clip.h"
#include "core/session/session.h"

#include <string>
#include <string_view>

namespace ember {

struct Recognition {
    Role role = Role::unknown;
    RowKind kind = RowKind::element;
    double confidence = 0.0;  // 0..1; below 0.5 counts as "unknown"
};

// What recogniseSound() looks at: shares of power by band (they sum to 1) over the loudest strokes,
// where a close microphone hears its own drum, and how the level moves.
struct SoundTraits {
    double sub = 0.0;        // below 130 Hz
    double low = 0.0;        // 130-450 Hz
    double middle = 0.0;     // 450 Hz-2.5 kHz
    double high = 0.0;       // 2.5-7 kHz
    double air = 0.0;        // above 7 kHz
    double peakHz = 0.0;     // strongest twelfth-octave
    double spikiness = 0.0;  // 99.5th over 50th percentile of 10 ms levels above -60 dB, dB
    double strokes = 0.0;    // strokes within 12 dB of the loudest, a second
    bool silent = true;
};
SoundTraits soundTraits(const Clip& clip);

// From traits alone: kick, snare, tom, hat, ride, overheads, whole kit,
// bass or unknown. Pure.
Recognition recogniseSound(const SoundTraits& traits, int channels);

}  // namespace ember
