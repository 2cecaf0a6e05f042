// Every drum's strokes as the mix has them, cut into samples: processed one-shots.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <cstddef>
#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

struct OneShot {
    std::string drum;       // id
    double time = 0.0;      // of its stroke, seconds of song time
    double seconds = 0.0;   // until the drum's next stroke, or until its sound may end
    double velocity = 0.0;  // 0..1
    int step = 1;           // of velocity, softest first
    int variation = 1;      // of the step, cleanest first
    bool operator==(const OneShot&) const = default;
};

inline constexpr int kOneShotSteps = 4, kOneShotVariations = 2;

// The strokes of every drum that are worth keeping, drums in the order of the session: those that
// stand alone for long, and over which others strike little, in steps of velocity as it was played.
// Flams are left out. Pure.
std::vector<OneShot> chooseOneShots(const Session& session, const std::vector<Stroke>& strokes);

// The file of each in `folder`: "Snare v1 r1.wav".
std::filesystem::path oneShotFile(const Session& session, const OneShot& shot,
                                  const std::filesystem::path& folder);

// Writes them, 32-bit float at the session's rate: what the microphones and layers at the drum give
// the mix, through their chains, buses and sends, as loud as there; begun 2 ms before the stroke,
// faded at the end. What else those microphones hear is in them. Files of the same names are
// replaced. Throws Error or Cancelled; any thread.
std::vector<std::filesystem::path> cutOneShots(const Session& session, AudioStore& store,
                                               const std::vector<OneShot>& shots,
                                               const std::filesystem::path& folder,
                                               const Progress& progress = {});

}  // namespace ember
