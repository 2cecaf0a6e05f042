// The waves that show how two microphones lie to each other.
#pragma once

#include "core/audio/clip.h"
#include "core/session/session.h"

#include <limits>
#include <vector>

namespace ember::app {

// The row another is compared with: the first other element on its bus, else the overheads.
// Null when there is none.
const Row* alignReference(const Session& session, const Row& row);

// The wave of a row as it leaves its align step, `frames` samples from song frame `from`.
std::vector<double> alignedWave(const Clip& clip, const Row& row, Frames from, int frames);

struct LoudestStroke {
    Frames frame = -1;  // song frame; -1 when all is silent
    float peak = 0.0F;  // linear
};
// The loudest place of a row's recording within song frames [from, to).
LoudestStroke loudestStroke(const Clip& clip, const Row& row, Frames from = 0,
                            Frames to = std::numeric_limits<Frames>::max() / 2);

}  // namespace ember::app
