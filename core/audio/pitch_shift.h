// Pitch shifted with time as it is (Rubber Band, its finer engine).
#pragma once

#include "core/audio/buffer.h"
#include "core/base/progress.h"

namespace ember {

// Every channel shifted by `semitones` (-24 to 24), together, so that the picture between them
// stays; as long as before and at the same places in time. 0 gives it back as it is. Any thread;
// throws Cancelled.
AudioBuffer pitchShifted(const AudioBuffer& audio, double semitones, const Progress& progress = {});

}  // namespace ember
