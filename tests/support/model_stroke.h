// A made-up stroke that has a made-up drum's figures.
#pragma once

#include "core/measure/sound/tone.h"

#include <vector>

namespace ember::test {

// kStrokeSeconds at kTypicalRate with a peak of 1: a note that dies away as the drum's does, and
// above it as much of a short click as its attack against body asks for.
std::vector<float> modelStroke(const DrumTone& tone);

}  // namespace ember::test
