// Two sounds of one hit: by how much one has to move, and whether it has to be turned over, so that
// their sum is as strong as it can be; and whether they share anything at all.
//
// The sum's energy is Ea + Eb + 2 c(shift), so the best shift is where the magnitude of the
// cross-correlation is largest, and its sign there says the polarity; found over all shifts by a
// transform, and between samples by the band-limited course of c itself (Knapp & Carter, "The
// generalized correlation method for estimation of time delay", IEEE Trans. ASSP 24(4), 1976, with
// the weight 1). Whether they share anything is asked of their coherence at that shift, taken over
// neighbouring bins in place of several strokes (Carter, "Coherence and time delay estimation",
// Proc. IEEE 75(2), 1987): what filters one of them hardly lowers it.
#pragma once

#include <span>

namespace ember {

struct LayerAlignment {
    double shift = 0.0;       // samples by which the second must move; negative: earlier
    bool flip = false;        // and be turned over
    bool related = false;     // whether they share so much that this means something
    double confidence = 0.0;  // 0..1, of `related` as it is said
    double likeness = 0.0;    // 0..1, coherence over the bands that both have
    double gainDb = 0.0;      // what the sum gains by it, against both as they are
};

// `first` and `second` at one rate, of at most a few minutes. DC and what lies below 15 Hz count
// for nothing. Two silent or empty sounds are unrelated. Pure; any thread.
LayerAlignment alignLayers(std::span<const float> first, std::span<const float> second,
                           double sampleRate);

}  // namespace ember
