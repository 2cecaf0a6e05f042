// How the work stands, and the minutes read from the logbook.
#include "core/report/work_order.h"

#include "core/session/file.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

namespace ember {
namespace {

LogEntry line(std::int64_t time, const char* row, const char* stage = "") {
    LogEntry entry;
    entry.time = time;
    entry.what = {"something", row, stage, {}, {}, {}};
    return entry;
}

const WorkOrder::Cell& cell(const WorkOrder& work, const char* row, Column step) {
    for (const WorkOrder::Line& one : work.lines) {
        for (std::size_t s = 0; one.row == row && s < work.steps.size(); ++s) {
            if (work.steps[s] == step) return one.cells[s];
        }
    }
    throw Error("no such cell");
}

TEST(WorkOrder, CountsWhatLiesBetweenLinesForTheLaterOne) {
    Session s = withValue(test::shortSession(), "snare-top", "eq", "b1.frequency", 300.0);
    s = withStepBudget(std::move(s), Column::repair, 2.0);
    const std::vector<LogEntry> log{
        line(1000, "kick-in", "gate"),  // nothing is known of what came before it
        line(1120, "snare-top", "eq"),  // two minutes
        line(1180, "snare-top", "eq"),  // one
        line(1240, "kick-in", "seat"),  // one, shared by two lines of one moment
        line(1240, "hat", "seat"),     line(9000, "hat", "eq"),  // a pause: five minutes count
        line(9030, "gone", "eq"),       // half a minute on a row that is no longer there
        line(9060, "snare-top"),        // half a minute on no step
        line(8000, "snare-top", "eq"),  // a clock that was set back takes no time
    };
    const WorkOrder work = workOrder(s, log);
    EXPECT_NEAR(cell(work, "snare-top", Column::repair).minutes, 3.0, 1e-9);
    EXPECT_NEAR(cell(work, "kick-in", Column::seat).minutes, 0.5, 1e-9);
    EXPECT_NEAR(cell(work, "hat", Column::seat).minutes, 0.5, 1e-9);
    EXPECT_NEAR(cell(work, "hat", Column::repair).minutes, 5.0, 1e-9);
    EXPECT_NEAR(cell(work, "kick-in", Column::gate).minutes, 0.0, 1e-9);
    EXPECT_NEAR(work.elsewhere, 0.5, 1e-9);
    EXPECT_NEAR(work.total, 10.0, 1e-9);
    double rows = work.elsewhere, steps = 0.0;
    for (const auto& one : work.lines) rows += one.minutes;
    for (const double minutes : work.stepMinutes) steps += minutes;
    EXPECT_NEAR(rows, work.total, 1e-9);
    EXPECT_NEAR(steps, 9.0, 1e-9);
    EXPECT_EQ(cell(work, "snare-top", Column::repair).mark, Mark::decided);
    EXPECT_EQ(work.decided, 1);
    const std::string words = inWords(work, s);
    EXPECT_NE(words.find("1 of "), std::string::npos) << words;
    EXPECT_NE(words.find("So far it took 10 minutes, most of them on Hat (6)"), std::string::npos)
        << words;
    EXPECT_NE(words.find("The step repair took 8 minutes of 2."), std::string::npos) << words;
    EXPECT_EQ(documentFromJson(toJson(Document(s)), "s").session(), s);
}

TEST(WorkOrder, IsEmptyWhereNothingWasDone) {
    const WorkOrder work = workOrder(test::shortSession(), {});
    EXPECT_EQ(work.total, 0.0);
    EXPECT_EQ(work.decided, 0);
    EXPECT_GT(work.open, 40);
    EXPECT_NE(inWords(work, test::shortSession()).find("Nothing was written down yet"),
              std::string::npos);
    EXPECT_THROW((void)withStepBudget(test::shortSession(), Column::gate, -1.0), Error);
    EXPECT_TRUE(
        withStepBudget(withStepBudget(test::shortSession(), Column::gate, 5.0), Column::gate, 0.0)
            .budgets.empty());
}

}  // namespace
}  // namespace ember
