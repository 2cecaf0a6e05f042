// One stroke at one stage of its chain: as it comes in, as it goes out, and what a faster and a
// slower attack would make of it.
#pragma once

#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

class AudioStore;

struct StrokeView {
    static constexpr double kLead = 0.01, kLength = 0.3;  // seconds before and from the stroke
    double sampleRate = 48000.0;
    std::vector<float> before, now;  // linear, first channel; kLead before the stroke on
    double fastMs = 0.0, slowMs = 0.0;
    std::vector<float> fast, slow;  // empty where the stage has no attack
};

// The stroke at `time` (seconds of the recording) in a row, its chain up to the stage as it is set;
// the stage itself counts as switched on. Fast is a quarter of the attack, slow four times, within
// its range; without `attacks` they are left out. Renders a second and a half of one row twice or
// four times. Any thread; throws Error.
StrokeView viewStroke(const Session& session, AudioStore& store, const std::string& row,
                      const std::string& stage, double time, bool attacks = true);

// The song from `seconds` on: recordings and strokes moved, strokes before it left out.
Session startingAt(Session session, double seconds);

// The stroke to look at: of the row's drum, an accent where there is one, of middle level; negative
// when none is known.
double usualStroke(const Session& session, const std::vector<Stroke>& strokes,
                   const std::string& row);

}  // namespace ember
