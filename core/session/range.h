// How far every sum may move: who stays even, and who is let. Pure; any thread.
#pragma once

#include "core/session/session.h"

#include <string>
#include <string_view>

namespace ember {

inline constexpr double kMostRange = 40.0;  // LU

// What is wanted of a bus or the main; null where nobody said.
const RangeBudget* rangeBudget(const Session& session, std::string_view row);
// The session with another wish, or with none. Throws Error for rows that are no sum, and outside 0
// to kMostRange.
Session withRangeBudget(Session session, RangeBudget budget);
Session withoutRangeBudget(Session session, std::string_view row);
// "stays even, 3.0 LU at most", "moves, 5.0 LU at least".
std::string rangeBudgetText(const RangeBudget& budget);
// The session with what a person typed: "even 3", "moves 5", what rangeBudgetText() says, or
// nothing for no wish. Throws Error as withRangeBudget() does, and with what it takes.
Session withRangeTyped(Session session, const std::string& row, std::string_view text);

}  // namespace ember
