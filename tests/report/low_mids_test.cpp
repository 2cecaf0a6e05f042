// Room in the low mids: what equalisers took from the kit's power there.

#include "core/report/low_mids.h"

#include "tests/support/support.h"

#include <cmath>
#include <map>

namespace ember {
namespace {

// A trace whose equaliser hears this level everywhere and changes it by so much.
RowTrace traceOf(const Row& row, double levelDb, double changeDb) {
    RowTrace t;
    t.stages.resize(row.chain.size());
    for (std::size_t s = 0; s < row.chain.size(); ++s) {
        if (row.chain[s].type != "eq") continue;
        for (const double f : {100.0, 250.0, 400.0, 1000.0}) {
            t.stages[s].before.frequency.push_back(f);
            t.stages[s].before.level.push_back(levelDb);
            t.stages[s].after.frequency.push_back(f);
            t.stages[s].after.level.push_back(levelDb + changeDb);
        }
    }
    return t;
}

TEST(LowMids, AreSummedByPowerOverTheAudibleKit) {
    Session s = test::shortSession();
    for (Row& row : s.rows) row.mute = row.id != "kick-in" && row.id != "room";
    for (const char* row : {"kick-in", "room"}) {
        s = withValue(std::move(s), row, "seat", "level", 0.0);
        s = withStageOn(std::move(s), row, "eq", true);
    }
    std::map<std::string, RowTrace> traces;
    traces["kick-in"] = traceOf(*findRow(s, "kick-in"), -20.0, -6.0);
    traces["room"] = traceOf(*findRow(s, "room"), -20.0, 0.0);
    traces["hat"] = traceOf(*findRow(s, "hat"), 0.0, -20.0);  // muted: does not count
    const auto of = [&](const std::string& id) -> const RowTrace* {
        return traces.contains(id) ? &traces.at(id) : nullptr;
    };
    const LowMids room = lowMids(s, "kick-in", of);
    const double left = 0.5 * (1.0 + std::pow(10.0, -0.6));
    EXPECT_NEAR(room.byAllDb, 10.0 * std::log10(left), 1e-9);
    EXPECT_NEAR(room.byRowDb, 10.0 * std::log10(left), 1e-9);
    EXPECT_NEAR(lowMids(s, "room", of).byRowDb, 0.0, 1e-9);
    // An equaliser that is off clears nothing; a fader weighs.
    EXPECT_NEAR(lowMids(withStageOn(s, "kick-in", "eq", false), "kick-in", of).byAllDb, 0.0, 1e-9);
    const Session loud = withValue(s, "kick-in", "seat", "level", 10.0);
    EXPECT_LT(lowMids(loud, "kick-in", of).byAllDb, room.byAllDb - 1.0);
    EXPECT_EQ(lowMids(s, "kick-in", [](const std::string&) { return nullptr; }).byAllDb, 0.0);
}

}  // namespace
}  // namespace ember
