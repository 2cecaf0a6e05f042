// One step of undo: only what differs between two sessions.
//
// Rows could be shared between whole sessions instead; but a chain's values alone are a kilobyte
// or more, and 500 steps of a fader would still hold 500 of them and as many lists of rows. What a
// step holds is the one value that moved.
#pragma once

#include "core/session/session.h"

#include <memory>
#include <string>
#include <vector>

namespace ember {

// A value of a stage, by places in the session that a step leads to.
struct ValueStep {
    int row = 0, stage = 0, index = 0;
    double value = 0.0;
};
struct StageStep {
    int row = 0, place = 0;
    Stage stage;
};

struct Step {
    std::shared_ptr<const Session> rest;  // all but the rows, where it differs
    std::vector<std::string> order;       // ids, where rows came, went or moved
    std::vector<Row> rows;                // that are new, or differ beyond their stages
    std::vector<StageStep> stages;        // that differ in more than their values
    std::vector<ValueStep> values;
};

// What makes `to` out of `from`. Pure; both with row ids that are unique.
Step stepBetween(const Session& from, const Session& to);
// Takes a step: stepTaken(a, stepBetween(a, b)) == b. Pure.
Session stepTaken(Session from, const Step& step);

}  // namespace ember
