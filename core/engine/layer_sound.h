// The sound of a layer as it is played: its part of the file, at its pitch, filtered, with its
// fades. Worked out once and kept in memory; playing it is adding samples.
#pragma once

#include "core/audio/store.h"
#include "core/session/layer.h"

#include <memory>

namespace ember {

// What is longer is cut here, so that a song taken for a stroke does not fill the memory.
inline constexpr double kLongestSound = 120.0;  // seconds

// One of the layer's sounds at `rate` Hz, one or two channels (of more the first two), without its
// level, pan and polarity. Those that somebody holds are shared by content and settings. Pitch goes
// by resampling (libsoxr), or with the length as it is (Rubber Band); the cuts are Butterworth
// sections, the sharpest of which carries the resonance. Throws Error; thread-safe, not real-time
// safe.
std::shared_ptr<const AudioBuffer> layerSound(const Layer& layer, const Source& sound,
                                              AudioStore& store, int rate);

}  // namespace ember
