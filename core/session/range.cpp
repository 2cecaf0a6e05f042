#include "core/session/range.h"

#include "core/base/error.h"
#include "core/base/number.h"

#include <algorithm>

namespace ember {

const RangeBudget* rangeBudget(const Session& session, std::string_view row) {
    const auto at = std::find_if(session.ranges.begin(), session.ranges.end(),
                                 [&](const RangeBudget& b) { return b.row == row; });
    return at != session.ranges.end() ? &*at : nullptr;
}

Session withRangeBudget(Session session, RangeBudget budget) {
    const Row& row = requireRow(session, budget.row);
    if (row.kind != RowKind::bus && row.kind != RowKind::main)
        throw Error("“" + row.name + "” is no sum; say how far a bus or the main may move.");
    if (!(budget.lu >= 0.0 && budget.lu <= kMostRange))
        throw Error("How far a sum moves goes from 0 to " + numberText(kMostRange, 0) + " LU.");
    session = withoutRangeBudget(std::move(session), budget.row);
    session.ranges.push_back(std::move(budget));
    return session;
}

Session withoutRangeBudget(Session session, std::string_view row) {
    std::erase_if(session.ranges, [&](const RangeBudget& b) { return b.row == row; });
    return session;
}

std::string rangeBudgetText(const RangeBudget& budget) {
    return (budget.moves ? "moves, " : "stays even, ") + numberText(budget.lu, 1) +
           (budget.moves ? " LU at least" : " LU at most");
}

Session withRangeTyped(Session session, const std::string& row, std::string_view text) {
    const auto begins = text.find_first_not_of(" \t");
    if (begins == std::string_view::npos) return withoutRangeBudget(std::move(session), row);
    static const Parameter range{"range", "The range",   Unit::none, 0.0, kMostRange,
                                 0.0,     Scale::linear, "",         {}};
    const bool moves = text.find("mov") != std::string_view::npos,
               even = text.find("even") != std::string_view::npos;
    const auto digit = text.find_first_of("0123456789");
    if (moves == even || digit == std::string_view::npos)
        throw Error("“" + std::string(text) +
                    "” says nothing of a range; type “even 3” for 3 LU at most, “moves 5” for 5 LU "
                    "at least, or nothing.");
    const auto ends = text.find_first_not_of("0123456789.,", digit);
    return withRangeBudget(
        std::move(session),
        {row, moves, parseValue(range, std::string(text.substr(digit, ends - digit)))});
}

}  // namespace ember
