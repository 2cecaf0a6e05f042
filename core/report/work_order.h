// The work as it stands: by row and step what is done, and the minutes that were spent there.
//
// Minutes are read from the logbook: what lies between two lines counts for the later one, five
// minutes of it at most, since whoever writes nothing for longer does something else. Lines of one
// moment share what came before them. Pure; any thread.
#pragma once

#include "core/session/document.h"

#include <cstdint>
#include <span>
#include <string>
#include <vector>

namespace ember {

inline constexpr std::int64_t kLongestPause = 300;  // seconds

struct WorkOrder {
    struct Cell {
        bool any = false;             // whether the row has such a step
        Mark mark = Mark::untouched;  // of its stages the furthest
        double minutes = 0.0;
    };
    struct Line {
        std::string row;          // id
        std::vector<Cell> cells;  // by `steps`
        double minutes = 0.0;     // with what belongs to no step of it
    };
    std::vector<Column> steps;                 // in the order of the work, those that any row has
    std::vector<Line> lines;                   // rows of the session but references
    std::vector<double> stepMinutes, budgets;  // by `steps`, all rows; no budget: 0
    double elsewhere = 0.0, total = 0.0;       // minutes; elsewhere: of no row that is there
    int open = 0, decided = 0;                 // steps of rows
};

WorkOrder workOrder(const Session& session, std::span<const LogEntry> log);
// What is left and what took longest: "12 of 74 steps are decided. So far it took 38 minutes, most
// of them on Snare Top (9). The step repair took 14 minutes of 10."
std::string inWords(const WorkOrder& work, const Session& session);
// "9", "under 1", "-" for nothing.
std::string minutesText(double minutes);

}  // namespace ember
