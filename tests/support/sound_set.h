// Strokes that are recordings of real drums, out of packaged sound sets; nothing of them is
// shipped.
#pragma once

#include <vector>

namespace ember::test {

inline constexpr const char* kLargeSet = "/usr/share/sounds/sf2/FluidR3_GM.sf2";
inline constexpr const char* kSmallSet = "/usr/share/sounds/sf2/TimGM6mb.sf2";

// One sound of a set: drum kit (program) and key.
struct SetNote {
    bool large = true;
    int program = 0, key = 36;
    double tune = 1.0;  // played faster or slower
};

using OneShot = std::vector<float>;

// The louder channel of one note, from its first sample on, scaled to a peak of 1. Throws where the
// set is not there. Any thread, one at a time.
OneShot renderShot(const SetNote& note, int velocity, double rate, double seconds);

}  // namespace ember::test
