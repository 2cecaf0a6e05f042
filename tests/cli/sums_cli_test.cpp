// How rows stand in their sums, without a window.
#include "core/session/file.h"
#include "tests/support/cli.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

namespace ember {
namespace {

using Json = nlohmann::json;
using test::Answer;
using test::cli;
using test::quoted;
using test::TempFolder;

TEST(Cli, JudgesKickAndBassAloneAndMakesWhatFreesOne) {
    const TempFolder folder;
    const std::string session = test::takenIn(folder);
    // So loud that it is in the way of any kick.
    ASSERT_EQ(cli(folder, "set " + session + " bass seat.level 12").status, 0);
    Answer a = cli(folder, "low-end " + session + " --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json before = Json::parse(a.out);
    EXPECT_EQ(before["octaves"].size(), 4U);
    EXPECT_GT(before["strokes"].get<int>(), 4);
    ASSERT_GE(before["moves"].size(), 2U);
    EXPECT_EQ(before["moves"][0]["do"], "duck");
    a = cli(folder, "low-end " + session + " --do duck");
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_NE(a.out.find("Bass"), std::string::npos) << a.out;
    const Session made = loadDocument(folder / "S.json").session();
    ASSERT_NE(findStage(*findRow(made, "bass"), "pump"), nullptr);
    const Json after = Json::parse(cli(folder, "low-end " + session + " --json").out);
    EXPECT_NEAR(after["over_db"].get<double>(),
                before["over_db"].get<double>() + before["moves"][0]["frees_db"].get<double>(),
                0.01);
    EXPECT_EQ(cli(folder, "low-end " + session + " --do duck").status, 1)
        << "it steps back already";
}

TEST(Cli, SaysHowTheDrumsComeThroughAndDeliversThem) {
    const TempFolder folder;
    const std::string session = test::takenIn(folder);
    Answer a = cli(folder, "through " + session + " --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json found = Json::parse(a.out);
    EXPECT_TRUE(found["guests"]);
    ASSERT_GE(found["drums"].size(), 4U);
    for (const Json& drum : found["drums"]) {
        EXPECT_GE(drum["heard"].get<double>(), 0.0);
        EXPECT_LE(drum["heard"].get<double>(), 1.0);
    }
    // A wall of bass, and what is offered against it.
    ASSERT_EQ(cli(folder, "set " + session + " bass seat.level 12").status, 0);
    a = cli(folder, "through " + session + " --raise nobody");
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("No drum “nobody” is struck"), std::string::npos) << a.err;
    a = cli(folder, "headroom " + session + " --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const double trim = Json::parse(a.out)["trim_db"].get<double>();
    EXPECT_EQ(cli(folder, "headroom " + session + " --trim").status, trim == 0.0 ? 1 : 0);
    a = cli(folder, "one-room " + session + " --json");
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_EQ(Json::parse(a.out)["remedies"].size(), 0U) << "nothing is sent anywhere";
    EXPECT_EQ(cli(folder, "one-room " + session + " --do share").status, 1);
    a = cli(folder, "deliver " + session + " --to " + quoted(folder / "out") +
                        " --mix wav24 flac16@44100 --stems groups --strokes --one-shots --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json done = Json::parse(a.out);
    EXPECT_GT(done["files"].size(), 12U);
    for (const Json& file : done["files"])
        EXPECT_TRUE(std::filesystem::exists(file.get<std::string>())) << file;
    EXPECT_LT(done["stems_residue_dbfs"].get<double>(), -120.0);
    a = cli(folder, "deliver " + session + " --to " + quoted(folder / "out") + " --mix mp3");
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("no form of a mix"), std::string::npos) << a.err;
}

TEST(Cli, TakesARowByItsNameAsByItsId) {
    const TempFolder folder;
    const std::string session = test::takenIn(folder);
    for (const std::string& command :
         {"ledger " + session + " 'snare top'", "order " + session + " 'Snare Top' eq",
          "wave " + session + " 'snare top' eq", "add " + session + " 'snare top' clipper",
          "move " + session + " 'snare top' clipper -- -1", "bus " + session + " Hall",
          "send " + session + " 'snare top' hall --level -6",
          "key " + session + " 'snare top' gate 'kick in'",
          "copy-chain " + session + " 'snare top' 'rack tom'",
          "remove " + session + " 'snare top' clipper", "low-end " + session}) {
        const Answer a = cli(folder, command);
        EXPECT_EQ(a.status, 0) << command << ": " << a.err;
    }
    const Answer a = cli(folder, "ledger " + session + " nobody");
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("the session has "), std::string::npos) << a.err;
    EXPECT_NE(a.err.find("snare-top"), std::string::npos) << a.err;
}

}  // namespace
}  // namespace ember
