// The waves that show how two microphones lie to each other.
#pragma once

#include "core/audio/clip.h"
#include "core/session/session.h"

#include <vector>

namespace ember::app {

// The row another is compared with: the first other element on its bus, else the overheads.
// Null when there is none.
const Row* alignReference(const Session& session, const Row& row);

// The wave of a row as it leaves its align step, `frames` samples from song frame `from`.
std::vector<double> alignedWave(const Clip& clip, const Row& row, Frames from, int frames);

// Song frame of the loudest stroke of a row's recording; -1 when it is silent.
Frames loudestStroke(const Clip& clip, const Row& row);

}  // namespace ember::app
