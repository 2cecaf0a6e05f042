// What changed between two sessions: as sentences for the logbook, and as moves for the engine.
#pragma once

#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

// One parameter or switch of a row or of a send that an engine can move without a new plan.
struct Move {
    enum class Kind { value, stageOn, mute, solo, sendOn, sendLevel, sendPan };
    Kind kind = Kind::value;
    std::string row;
    int stage = 0;       // index in the chain, or among the sends
    int parameter = 0;   // index in the table
    double value = 0.0;  // as in the session: of the table, 0 or 1, dB, %
};

// One thing that changed: the sentence, and what it is about, where it is about one thing alone.
struct Difference {
    std::string text;  // "Snare top · Gate · Threshold −32.0 dB → −28.5 dB"
    std::string row, stage, parameter;  // ids
    std::string from, to;               // of a parameter, as people read it
    bool operator==(const Difference&) const = default;
};

struct SessionDiff {
    std::vector<Difference> changes;  // in the Board's order
    // Everything that can be moved while sounding; complete unless structural.
    std::vector<Move> moves;
    // Rows, routing, order, sources or latencies changed: compile anew.
    bool structural = false;
    // Rows whose sound may differ (without what is downstream of them).
    std::vector<std::string> rows;

    [[nodiscard]] std::vector<std::string> sentences() const;
};

SessionDiff diff(const Session& before, const Session& after);

}  // namespace ember
