#include "core/report/flow_table.h"

#include "core/session/graph.h"
#include "core/session/routing.h"
#include "demo/mix.h"
#include "tests/support/support.h"

#include <algorithm>

namespace ember {
namespace {

FlowCell cellOf(const Session& session, const std::string& row, const std::string& bus) {
    const FlowTable table = flowTable(session);
    const auto r = std::find(table.rows.begin(), table.rows.end(), row),
               c = std::find(table.buses.begin(), table.buses.end(), bus);
    if (r == table.rows.end() || c == table.buses.end()) return {};
    return table.cells[static_cast<std::size_t>(r - table.rows.begin())]
                      [static_cast<std::size_t>(c - table.buses.begin())];
}

TEST(FlowTable, SaysWhatFeedsWhatAndWhatWouldGoRound) {
    using Kind = FlowCell::Kind;
    Session s = demo::demoMix(test::shortSession());
    s = withBusAdded(std::move(s), "Crush");
    s = withSend(std::move(s), "snare-top", {"crush", true, true, -12.0});
    s = withSend(std::move(s), "drum-bus", {"crush"});
    s = withValue(std::move(s), "snare-top", "seat", "level", -3.5);
    const FlowTable table = flowTable(s);
    EXPECT_EQ(table.buses.back(), "main");
    EXPECT_EQ(table.cells.size(), table.rows.size());
    EXPECT_EQ(std::count(table.rows.begin(), table.rows.end(), "main"), 0);
    const std::string fed = findRow(s, "snare-top")->parent;
    EXPECT_EQ(cellOf(s, "snare-top", fed).kind, Kind::output);
    EXPECT_DOUBLE_EQ(cellOf(s, "snare-top", fed).levelDb, -3.5);
    const FlowCell sent = cellOf(s, "snare-top", "crush");
    EXPECT_EQ(sent.kind, Kind::send);
    EXPECT_TRUE(sent.send.before);
    EXPECT_DOUBLE_EQ(sent.levelDb, -12.0);
    EXPECT_EQ(cellOf(s, "crush", "crush").kind, Kind::itself);
    EXPECT_EQ(cellOf(s, "crush", "main").kind, Kind::output);
    EXPECT_EQ(cellOf(s, "crush", "drum-bus").kind, Kind::round) << "it is sent to from there";
    EXPECT_EQ(cellOf(s, "hat", "crush").kind, Kind::nothing);
    // Whatever is said to go round is refused, and nothing else is.
    for (std::size_t r = 0; r < table.rows.size(); ++r) {
        for (std::size_t c = 0; c < table.buses.size(); ++c) {
            const Kind kind = table.cells[r][c].kind;
            const auto send = [&] { return withSend(s, table.rows[r], {table.buses[c]}); };
            if (kind == Kind::nothing) {
                EXPECT_NO_THROW(send()) << table.rows[r];
            } else if (kind == Kind::round) {
                EXPECT_ANY_THROW(send()) << table.rows[r];
            }
        }
    }
}

TEST(Groups, AreBusesOfRecordingsThatFeedAnotherBus) {
    const Session s = demo::demoMix(test::shortSession());
    const int snare = groupOf(s, *findRow(s, "snare-top"));
    EXPECT_GE(snare, 0);
    EXPECT_EQ(groupOf(s, *findRow(s, findRow(s, "snare-top")->parent)), snare);
    EXPECT_NE(groupOf(s, *findRow(s, "rack-tom")), snare);
    EXPECT_EQ(groupOf(s, *findRow(s, "main")), -1);
    EXPECT_EQ(groupOf(s, *findRow(s, "drum-bus")), -1);
}

}  // namespace
}  // namespace ember
