// Controls of one's own: what they move, where they stand, and where they go.
#include "core/session/control.h"

#include "core/advise/chain_copy.h"
#include "core/report/recall.h"
#include "core/session/diff.h"
#include "core/session/file.h"
#include "core/session/snapshot.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

namespace ember {
namespace {

namespace fs = std::filesystem;

// "Punch" moves the threshold down and a band up.
Session withPunch() {
    Session s = withControlTarget(test::shortSession(), "snare-top", "compressor",
                                  {"Punch", "threshold", -6.0, -30.0});
    return withControlTarget(std::move(s), "snare-top", "eq",
                             {"Punch", "b1.frequency", 100.0, 1600.0});
}

double valueAt(const Session& s, const char* row, const char* stage, const char* parameter) {
    const Stage& at = *findStage(*findRow(s, row), stage);
    return at
        .values[static_cast<std::size_t>(parameterIndex(processorType(at.type).table, parameter))];
}

TEST(Control, MovesEveryParameterByItsOwnScale) {
    const Session s = withControlMoved(withPunch(), "snare-top", "Punch", 50.0);
    EXPECT_NEAR(valueAt(s, "snare-top", "compressor", "threshold"), -18.0, 1e-9);
    EXPECT_NEAR(valueAt(s, "snare-top", "eq", "b1.frequency"), 400.0, 1e-6) << "by octaves";
    EXPECT_EQ(findStage(*findRow(s, "snare-top"), "compressor")->mark, Mark::decided);
    const auto controls = controlsOf(*findRow(s, "snare-top"));
    ASSERT_EQ(controls.size(), 1U);
    EXPECT_NEAR(controls[0].position, 50.0, 1e-6);
    EXPECT_TRUE(controls[0].agrees);
    EXPECT_EQ(controls[0].moves.size(), 2U);
    // Every edit of it can be said, and its moves are the engine's.
    const SessionDiff moved = diff(withPunch(), s);
    EXPECT_FALSE(moved.structural);
    EXPECT_GE(moved.moves.size(), 2U);
    const auto made = diff(test::shortSession(), withPunch()).sentences();
    EXPECT_NE(
        std::find_if(made.begin(), made.end(),
                     [](const std::string& line) {
                         return line.find("“Punch” moves Threshold from −6.0 dB to −30.0 dB") !=
                                std::string::npos;
                     }),
        made.end());
    // Ends are reached exactly.
    EXPECT_EQ(valueAt(withControlMoved(s, "snare-top", "Punch", 100.0), "snare-top", "compressor",
                      "threshold"),
              -30.0);
}

TEST(Control, SaysWhenSomethingWasMovedByHand) {
    Session s = withControlMoved(withPunch(), "snare-top", "Punch", 25.0);
    s = withValue(std::move(s), "snare-top", "compressor", "threshold", -27.0);
    const auto control = controlsOf(*findRow(s, "snare-top")).at(0);
    EXPECT_FALSE(control.agrees);
    // It stands where its first parameter does, and takes the others along once it is moved.
    s = withControlMoved(std::move(s), "snare-top", "Punch", control.position);
    EXPECT_TRUE(controlsOf(*findRow(s, "snare-top")).at(0).agrees);
}

TEST(Control, GoesWithItsStepsIntoFilesChainsAndSnapshots) {
    const Session s = withControlMoved(withPunch(), "snare-top", "Punch", 50.0);
    EXPECT_EQ(documentFromJson(toJson(Document(s)), "s").session(), s);
    const Row& snare = *findRow(s, "snare-top");
    const auto chain =
        chainFromJson(chainToJson(std::span(snare.chain).subspan(1, snare.chain.size() - 2)), "c");
    const Session taken = withChain(s, "rack-tom", chain);
    EXPECT_EQ(controlsOf(*findRow(taken, "rack-tom")).at(0).moves.size(), 2U);
    EXPECT_NEAR(controlsOf(*findRow(taken, "rack-tom")).at(0).position, 50.0, 1e-6);
    // Fitted to another drum it stands where it stood.
    KitMeasurement measured;
    measured.tone.push_back({});
    measured.tone.back().drum = "snare";
    measured.tone.back().fundamental = 200.0;
    measured.tone.push_back({});
    measured.tone.back().drum = findRow(s, "rack-tom")->drum;
    measured.tone.back().fundamental = 100.0;
    const Session copied = withChainCopied(s, measured, "snare-top", "rack-tom");
    const RowControl fitted = controlsOf(*findRow(copied, "rack-tom")).at(0);
    EXPECT_NEAR(fitted.position, 50.0, 10.0);
    EXPECT_NEAR(valueAt(copied, "rack-tom", "eq", "b1.frequency"), 200.0, 1e-6);
    const Session kept = withSnapshotTaken(s, "punchy", "", 0);
    const Session back = withSnapshotUsed(withoutControl(kept, "snare-top", "Punch"), "punchy");
    EXPECT_EQ(controlsOf(*findRow(back, "snare-top")).size(), 1U);
    EXPECT_TRUE(controlsOf(*findRow(withStageRemoved(withStageRemoved(s, "snare-top", "eq"),
                                                     "snare-top", "compressor"),
                                    "snare-top"))
                    .empty());
}

TEST(Control, StandsOnTheRecallSheet) {
    const Session s = withControlMoved(withPunch(), "snare-top", "Punch", 50.0);
    const RecallSheet sheet = recallSheet(Document(s));
    const auto row = std::find_if(sheet.rows.begin(), sheet.rows.end(),
                                  [](const RecallRow& r) { return r.id == "snare-top"; });
    ASSERT_NE(row, sheet.rows.end());
    EXPECT_NE(std::find_if(row->routing.begin(), row->routing.end(),
                           [](const std::string& line) {
                               return line.starts_with("control “Punch” at 50 %:") &&
                                      line.find("Compressor Threshold from −6.0 dB to −30.0 dB") !=
                                          std::string::npos;
                           }),
              row->routing.end());
}

TEST(Control, IsNamedAndTakenAwayAndRefusesWhatCannotBe) {
    Session s = withPunch();
    s = withControlNamed(std::move(s), "snare-top", "Punch", "Snap");
    EXPECT_EQ(controlsOf(*findRow(s, "snare-top")).at(0).name, "Snap");
    s = withoutControlTarget(std::move(s), "snare-top", "eq", "Snap", "b1.frequency");
    EXPECT_EQ(controlsOf(*findRow(s, "snare-top")).at(0).moves.size(), 1U);
    const auto refused = [&](const ControlTarget& t, const char* stage = "compressor") {
        return test::errorOf([&] { (void)withControlTarget(s, "snare-top", stage, t); });
    };
    EXPECT_NE(refused({"", "ratio", 1.0, 2.0}).find("needs a name"), std::string::npos);
    EXPECT_NE(refused({"A", "nothing", 1.0, 2.0}).find("has nothing called"), std::string::npos);
    EXPECT_NE(refused({"A", "look-ahead", 0.0, 1.0}).find("cannot be moved"), std::string::npos);
    EXPECT_NE(refused({"A", "ratio", 2.0, 2.0}).find("two different ends"), std::string::npos);
    EXPECT_NE(refused({"A", "ratio", 0.0, 2000.0}).find("choose ends within"), std::string::npos);
    EXPECT_NE(refused({"A", "threshold", -6.0, 0.0}).find("is moved by “Snap”"), std::string::npos);
    EXPECT_THROW((void)withControlMoved(s, "snare-top", "Punch", 10.0), Error);
    EXPECT_THROW((void)withControlMoved(s, "snare-top", "Snap", 100.5), Error);
    EXPECT_THROW((void)withoutControl(s, "kick-in", "Snap"), Error);
    // A broken file says where.
    std::string text = toJson(Document(withPunch()));
    const auto at = text.find("\"parameter\": \"threshold\"");
    ASSERT_NE(at, std::string::npos);
    text.replace(at, 24, "\"parameter\": \"wishbone\" ");
    EXPECT_NE(test::errorOf([&] { (void)documentFromJson(text, "s"); }).find("controls[0]"),
              std::string::npos);
}

TEST(Control, OfOneNameMovesSeveralRowsTogether) {
    Session s = withControlTarget(withPunch(), "kick-in", "eq", {"Punch", "b1.gain", -6.0, 6.0});
    const auto kickGain = [](const Session& of) { return valueAt(of, "kick-in", "eq", "b1.gain"); };
    const double before = kickGain(s);
    s = withControlMoved(std::move(s), "snare-top", "Punch", 50.0);
    EXPECT_EQ(kickGain(s), before) << "each row by itself";
    Document d(s);
    d.edit(withControlTogether(d.session(), "Punch", true));
    EXPECT_EQ(d.log().back().what.text, "Session · “Punch” moves every row that has it, together");
    EXPECT_EQ(rowsWithControl(d.session(), "Punch"),
              (std::vector<std::string>{"kick-in", "snare-top"}));
    s = withControlMoved(d.session(), "snare-top", "Punch", 100.0);
    EXPECT_NEAR(kickGain(s), 6.0, 1e-9);
    EXPECT_NEAR(valueAt(s, "snare-top", "compressor", "threshold"), -30.0, 1e-9);
    EXPECT_NEAR(controlsOf(*findRow(s, "kick-in"))[0].position, 100.0, 1e-6);
    // Its name is one too, and so it stays when it is saved.
    s = withControlNamed(std::move(s), "kick-in", "Punch", "Hit");
    EXPECT_TRUE(movesTogether(s, "Hit"));
    EXPECT_EQ(rowsWithControl(s, "Hit").size(), 2U);
    EXPECT_EQ(documentFromJson(toJson(Document(s)), "s").session(), s);
    s = withControlTogether(std::move(s), "Hit", false);
    s = withControlMoved(std::move(s), "kick-in", "Hit", 0.0);
    EXPECT_NEAR(valueAt(s, "snare-top", "compressor", "threshold"), -30.0, 1e-9);
}

TEST(SessionFormat, TheTwelfthFormatOpensUnchangedAndKnowsNoClipsAndRanges) {
    const fs::path file = fs::path(EMBER_SOURCE_FOLDER) / "tests/data/session-v12.json";
    const Document twelfth = documentFromJson(test::readText(file), "twelfth");
    const Session& s = twelfth.session();
    EXPECT_EQ(s.name, "Fixture 12");
    EXPECT_EQ(s.extra, "");
    EXPECT_EQ(s.budgets.size(), 1U);
    EXPECT_EQ(controlsOf(*findRow(s, "snare-top")).size(), 1U);
    EXPECT_TRUE(s.ranges.empty());
    EXPECT_TRUE(s.together.empty());
    for (const Snapshot& snapshot : s.snapshots) EXPECT_FALSE(snapshot.clip);
    EXPECT_EQ(documentFromJson(toJson(twelfth), "thirteenth").session(), s);
}

TEST(SessionFormat, TheEleventhFormatOpensUnchangedAndKnowsNoControls) {
    const fs::path file = fs::path(EMBER_SOURCE_FOLDER) / "tests/data/session-v11.json";
    const Document eleventh = documentFromJson(test::readText(file), "eleventh");
    const Session& s = eleventh.session();
    EXPECT_EQ(s.name, "Fixture 11");
    EXPECT_EQ(s.extra, "");
    for (const Row& row : s.rows) EXPECT_TRUE(controlsOf(row).empty()) << row.id;
    EXPECT_TRUE(s.budgets.empty());
    EXPECT_EQ(documentFromJson(toJson(eleventh), "twelfth").session(), s);
}

}  // namespace
}  // namespace ember
