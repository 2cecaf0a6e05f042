#include "core/report/headroom.h"

#include "core/advise/proposal.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/measure/kit/kit_measure.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// The demo kit with its strokes, its kick so many decibels over its target.
Session withKickOver(double db) {
    Session session = test::shortSession();
    session.strokes = Shared(measureSessionStrokes(session, test::sharedStore()).strokes);
    const HeadroomPlan plan = headroomPlan(session, test::sharedStore(), 0.0, -1.0);
    return withValue(session, plan.kick, "seat", "level",
                     findStage(*findRow(session, plan.kick), "seat")->values[0] + plan.targetDb -
                         plan.kickDb + db);
}

HeadroomPlan planOf(const Session& session) {
    return headroomPlan(session, test::sharedStore(), 0.0, -1.0);
}

TEST(Headroom, ReadsTheKickByItsTargetAndTrimsEverythingAlike) {
    const Session session = withKickOver(5.0);
    const HeadroomPlan plan = planOf(session);
    EXPECT_NEAR(plan.kickDb, plan.targetDb + 5.0, 0.01);
    EXPECT_NEAR(plan.trimDb, -5.0, 1e-9);
    EXPECT_GT(plan.pairDb, kSilenceDb);
    EXPECT_FALSE(plan.bus.empty());
    EXPECT_GE(plan.mainDb, plan.kickDb - 6.0);
    const Session trimmed = withTrim(session, plan.trimDb);
    for (const Row& row : session.rows) {
        const Stage* before = findStage(row, "seat");
        const Stage* after = findStage(*findRow(trimmed, row.id), "seat");
        const bool moves = row.kind == RowKind::element || row.kind == RowKind::guest;
        EXPECT_NEAR(after->values[0] - before->values[0], moves ? -5.0 : 0.0, 1e-9) << row.id;
    }
    const HeadroomPlan after = planOf(trimmed);
    EXPECT_NEAR(after.kickDb, plan.targetDb, 0.01);
    EXPECT_NEAR(after.pairDb - after.kicksDb, plan.pairDb - plan.kicksDb, 0.01) << "balance stays";
    EXPECT_NEAR(after.mainDb, plan.trimmedMainDb, 1e-6) << "it did what it said";
    EXPECT_EQ(after.trimDb, 0.0);
    EXPECT_NE(headroomText(trimmed, after).back().find("Nothing needs"), std::string::npos);
}

TEST(Headroom, GoesByTheTargetThatAPersonHas) {
    // As an average, and by the usual strokes, in place of the peak of the loudest ones.
    for (const LevelTarget& target : {LevelTarget{"kick", false, TargetStrokes::all, -30.0},
                                      LevelTarget{"kick", true, TargetStrokes::usual, -16.0}}) {
        Session session = withKickOver(5.0);
        session.targets = {target};
        const HeadroomPlan plan = planOf(session);
        EXPECT_EQ(plan.targetDb, target.db);
        ASSERT_NE(plan.trimDb, 0.0);
        EXPECT_NEAR(planOf(withTrim(session, plan.trimDb)).kickDb, target.db, 0.3)
            << headroomText(session, plan).front();
        EXPECT_NE(headroomText(session, plan).front().find(targetText(target)), std::string::npos);
    }
}

TEST(Headroom, TakesWhatIsSentBeforeTheFaderAlong) {
    Session session = withKickOver(3.0);
    session = withBusAdded(std::move(session), "Plate");
    session = withSend(std::move(session), "snare-top", {"plate", true, true, -10.0});
    session = withSend(std::move(session), "hat", {"plate", false, true, -10.0});
    const Session trimmed = withTrim(session, -3.0);
    EXPECT_EQ(findSend(*findRow(trimmed, "snare-top"), "plate")->levelDb, -13.0);
    EXPECT_EQ(findSend(*findRow(trimmed, "hat"), "plate")->levelDb, -10.0)
        << "it follows its fader";
}

TEST(Headroom, RefusesWithoutAKickAndBeyondTheFaders) {
    Session session = withKickOver(3.0);
    EXPECT_THROW(withTrim(session, 200.0), Error);
    Session none = session;
    none.strokes = {};
    EXPECT_NE(test::errorOf([&] { (void)planOf(none); }).find("No stroke of the kick"),
              std::string::npos);
    std::erase_if(session.rows, [](const Row& row) { return row.kind == RowKind::element; });
    EXPECT_NE(test::errorOf([&] { (void)planOf(session); }).find("no kick"), std::string::npos);
}

}  // namespace
}  // namespace ember
