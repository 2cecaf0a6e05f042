// Controls of one's own: few, each of which moves several parameters of a row between two values.
//
// What a control moves is kept with each step (Stage::controls), so it goes wherever the step goes:
// into presets, chains, other rows, snapshots and sessions that begin as this one. Where a control
// stands is read from what it moves and kept nowhere else. Controls of one name in several rows may
// move together, as one big one (Session::together). Pure; any thread.
#pragma once

#include "core/session/session.h"

#include <string>
#include <string_view>
#include <vector>

namespace ember {

inline constexpr std::size_t kLongestControlName = 40;  // bytes

struct RowControl {
    std::string name;
    double position = 0.0;  // 0..100, by the first parameter that it moves
    bool agrees = true;     // whether all others stand where it would put them
    struct Moved {
        std::string stage;       // id
        std::size_t target = 0;  // among the stage's
        bool operator==(const Moved&) const = default;
    };
    std::vector<Moved> moves;  // in the order of the chain
    bool operator==(const RowControl&) const = default;
};

// In the order in which the chain first names them.
std::vector<RowControl> controlsOf(const Row& row);
// Whether a control may move it: continuous, and no new plan with every step.
bool controllable(const Stage& stage, const Parameter& parameter);

// The control moves one parameter more, or between other values. Throws Error for unknown names,
// parameters that cannot be moved so or that another control moves, values out of range or alike,
// and names that are empty or too long.
Session withControlTarget(Session session, std::string_view row, std::string_view stage,
                          const ControlTarget& target);
// Throws Error where it does not move it.
Session withoutControlTarget(Session session, std::string_view row, std::string_view stage,
                             std::string_view control, std::string_view parameter);
// Every parameter of the control moves, by its own scale, in every row that has it where it moves
// them together; the steps count as decided. Throws Error for unknown controls and outside 0 to
// 100.
Session withControlMoved(Session session, std::string_view row, std::string_view control,
                         double position);
// What its parameters are now becomes what they are at 0 (or at 100) %; those that would have two
// equal ends keep the one they had.
Session withControlEndHere(Session session, std::string_view row, std::string_view control,
                           bool hundred);
// In every row where it moves them together.
Session withControlNamed(Session session, std::string_view row, std::string_view control,
                         const std::string& name);
// In this row; what it moved stays where it is.
Session withoutControl(Session session, std::string_view row, std::string_view control);

// Whether the controls of this name move every row that has one, together.
bool movesTogether(const Session& session, std::string_view control);
Session withControlTogether(Session session, const std::string& control, bool together);
// Ids of the rows that have it, in the Board's order.
std::vector<std::string> rowsWithControl(const Session& session, std::string_view control);

}  // namespace ember
