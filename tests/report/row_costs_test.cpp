#include "core/report/row_costs.h"

#include "core/session/routing.h"
#include "tests/support/support.h"

#include <algorithm>

namespace ember {
namespace {

TEST(RowCosts, GiveTheDearestRowItsShare) {
    Session s = test::shortSession();
    for (int i = 0; i < 3; ++i) {
        const std::string id = i == 0 ? "reverb" : "reverb-" + std::to_string(i + 1);
        s = withStageAdded(std::move(s), "overhead", "reverb");
        s = withStageOn(std::move(s), "overhead", id, true);
    }
    const std::vector<RowCost> costs = rowCosts(s, test::sharedStore(), 0.0, 1.0);
    ASSERT_EQ(costs.size(), static_cast<std::size_t>(std::count_if(
                                s.rows.begin(), s.rows.end(),
                                [](const Row& r) { return r.kind != RowKind::reference; })));
    const auto dearest =
        std::max_element(costs.begin(), costs.end(),
                         [](const RowCost& a, const RowCost& b) { return a.share < b.share; });
    EXPECT_EQ(dearest->row, "overhead");
    for (const RowCost& c : costs) EXPECT_GT(c.share, 0.0) << c.row;
    EXPECT_THROW(rowCosts(s, test::sharedStore(), 0.0, 1.0,
                          [](double, const std::string&) { return false; }),
                 Cancelled);
}

}  // namespace
}  // namespace ember
