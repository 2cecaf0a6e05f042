// One-shots cut out of a recording: a drum's own clean strokes, soft to hard, for layers.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/measure/separate/bleed_model.h"
#include "core/session/session.h"

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

namespace ember {

// The microphone that a drum's samples are cut from: the first that stands at it and plays
// recordings; null where there is none.
const Row* closeMicrophone(const Session& session, std::string_view drum);

// Seconds by which a sample begins ahead of its stroke.
inline constexpr double kCutAhead = 0.002;

// Frames `from` to `to` of a recording, faded in over the first millisecond and out over the last
// thirty. Pure.
AudioBuffer fadedCut(const AudioBuffer& whole, std::size_t from, std::size_t to);

// A stroke that may be cut out.
struct StrokeToCut {
    double time = 0.0, seconds = 0.0;  // of song time; how long it stands alone
    double velocity = 0.0;             // 0..1
    double unclean = 0.0;              // less is better
    int step = 1, variation = 1;
};
// A drum's strokes but flams that stand alone for kStandsAlone seconds and more: until 4 ms before
// the drum's next one, or `end`, `longest` at most. In order of time. Pure.
std::vector<StrokeToCut> strokesAlone(const std::vector<Stroke>& strokes, std::string_view drum,
                                      double longest, double end);
inline constexpr double kStandsAlone = 0.12;
// What others strike while a stroke sounds, and what it is missing to standing alone: less is
// better. Pure.
double disturbance(const std::vector<Stroke>& strokes, std::string_view drum,
                   const StrokeToCut& own);
// From which on longer is no better.
inline constexpr double kAloneEnough = 0.6;
// The cleanest of each step of velocity, softest step first, as many strokes in each step: steps
// follow how it was played. Pure.
std::vector<StrokeToCut> cleanestOfSteps(std::vector<StrokeToCut> strokes, int steps,
                                         int variations);

struct CutOptions {
    int steps = 4;         // of velocity, 1 to 16
    int variations = 3;    // of each, 1 to 16
    double longest = 2.0;  // seconds of a sample, 0.1 to 10
};

struct CutSample {
    std::filesystem::path file;
    double time = 0.0;      // of its stroke, seconds of song time
    double velocity = 0.0;  // 0..1
    int step = 1, variation = 1;
    double seconds = 0.0;      // how long it is
    double othersDb = -150.0;  // other drums left in it, against the drum
};

// The drum of a close microphone as `model` tells it apart, at its cleanest strokes of every step
// of velocity, best first: those that stand alone for long, and over which least of the others
// lies. Each begins 2 ms before its stroke and ends before the drum's next one, faded. Files are
// called "DRUM v1 r1.wav" (softest first), 32-bit float at the session's rate, as loud as recorded;
// none is written over. Throws Error (no close microphone, no clean stroke, a folder that has such
// files) or Cancelled, and then leaves no file of its own behind. Any thread.
std::vector<CutSample> cutSamples(const Session& session, AudioStore& store,
                                  const std::vector<Stroke>& strokes, const BleedModel& model,
                                  const std::string& row, const std::filesystem::path& folder,
                                  const CutOptions& options = {}, const Progress& progress = {});

}  // namespace ember
