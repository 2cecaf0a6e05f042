// Streams, controls of one's own and the state of the work, without a window.
#include "core/session/file.h"
#include "core/session/split.h"
#include "tests/support/cli.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

namespace ember {
namespace {

using Json = nlohmann::json;
using test::Answer;
using test::cli;
using test::TempFolder;

TEST(Cli, SplitsARowAndJoinsItAgain) {
    const TempFolder folder;
    const std::string session = test::takenIn(folder);
    Answer a = cli(folder, "split " + session + " snare-top --by bands --lower 300");
    ASSERT_EQ(a.status, 0) << a.err;
    const Session made = loadDocument(folder / "S.json").session();
    ASSERT_EQ(splitOf(made, "snare-top").size(), 2U);
    for (const std::string& stream : splitOf(made, "snare-top"))
        EXPECT_EQ(findRow(made, stream)->chain.front().values[1], 300.0);
    a = cli(folder, "split " + session + " snare-top --by sides");
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("split already"), std::string::npos) << a.err;
    EXPECT_EQ(cli(folder, "split " + session + " hat").status, 1) << "by what?";
    // Names do as ids do.
    ASSERT_EQ(cli(folder, "join " + session + " \"snare top\"").status, 0);
    EXPECT_TRUE(splitOf(loadDocument(folder / "S.json").session(), "snare-top").empty());
}

TEST(Cli, MakesAControlMovesItAndTellsWhatTheWorkTook) {
    const TempFolder folder;
    const std::string session = test::takenIn(folder);
    Answer a = cli(folder, "control " + session +
                               " snare-top Punch --moves compressor.threshold --from -6 --to -30");
    ASSERT_EQ(a.status, 0) << a.err;
    ASSERT_EQ(cli(folder, "control " + session +
                              " snare-top Punch --moves eq.b1.frequency --from 100 --to 1.6k")
                  .status,
              0);
    ASSERT_EQ(cli(folder, "control " + session + " snare-top Punch 50").status, 0);
    a = cli(folder, "control " + session + " snare-top --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json controls = Json::parse(a.out);
    ASSERT_EQ(controls.size(), 1U);
    EXPECT_NEAR(controls[0]["position"].get<double>(), 50.0, 1e-6);
    EXPECT_EQ(controls[0]["moves"].size(), 2U);
    EXPECT_NE(cli(folder, "control " + session + " snare-top").out.find("Punch  50 %"),
              std::string::npos);
    a = cli(folder, "control " + session + " snare-top Punch --moves compressor");
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("STEP.PARAMETER"), std::string::npos) << a.err;
    ASSERT_EQ(
        cli(folder, "control " + session + " snare-top Punch --drops eq.b1.frequency --rename Snap")
            .status,
        0);
    ASSERT_EQ(cli(folder, "control " + session + " snare-top Snap --remove").status, 0);
    EXPECT_EQ(Json::parse(cli(folder, "control " + session + " snare-top --json").out).size(), 0U);

    ASSERT_EQ(cli(folder, "set " + session + " drum-bus compressor.threshold -40").status, 0);
    ASSERT_EQ(cli(folder, "set " + session + " drum-bus compressor.attack 0.1").status, 0);
    a = cli(folder, "punch " + session + " drum-bus --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json punch = Json::parse(a.out);
    EXPECT_EQ(punch["steps"], 1);
    ASSERT_GE(punch["drums"].size(), 2U);
    EXPECT_EQ(punch["drums"][0]["stage"], "compressor") << punch.dump();

    a = cli(folder, "ceiling " + session + " main --draw 1");
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_EQ(
        Json::parse(cli(folder, "ceiling " + session + " main --json").out)["crossings"].size(), 0U)
        << "a decibel over all that sounds";
    ASSERT_EQ(cli(folder, "set " + session + " snare-top seat.level 12").status, 0);
    a = cli(folder, "ceiling " + session + " main --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json crossings = Json::parse(a.out)["crossings"];
    ASSERT_GE(crossings.size(), 1U);
    EXPECT_EQ(crossings[0]["row"], "snare-top");
    ASSERT_EQ(cli(folder, "ceiling " + session + " main --none").status, 0);
    EXPECT_FALSE(loadDocument(folder / "S.json").session().ceiling);

    ASSERT_EQ(cli(folder, "work " + session + " --budget repair=20 gate=5").status, 0);
    a = cli(folder, "work " + session + " --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json work = Json::parse(a.out);
    EXPECT_EQ(work["decided"], 4) << "compressor, equaliser and seat of the snare; the bus";
    for (const Json& step : work["steps"]) {
        if (step["step"] == "repair") {
            EXPECT_EQ(step["budget"], 20.0);
        }
    }
    EXPECT_NE(cli(folder, "work " + session).out.find("steps are decided"), std::string::npos);
    EXPECT_EQ(cli(folder, "work " + session + " --budget lunch=60").status, 1);
}

TEST(Cli, HoldsARecordBesideTheMixAndMovesIt) {
    const TempFolder folder;
    const std::string session = test::takenIn(folder);
    const std::filesystem::path midi = folder / "record.mid";
    Answer a =
        cli(folder, "reference " + session + " --band 200 800 --midi " + midi.string() + " --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json found = Json::parse(a.out);
    EXPECT_EQ(found["row"], "reference");
    EXPECT_EQ(found["record"]["thirds"].size(), found["mix"]["thirds"].size());
    for (const Json& third : found["record"]["thirds"])
        EXPECT_LE(third["low_db"].get<double>(), third["high_db"].get<double>());
    EXPECT_TRUE(std::filesystem::exists(midi));
    a = cli(folder, "reference " + session + " --band 200 800");
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_NE(a.out.find("200 Hz to 800 Hz: "), std::string::npos) << a.out;
    ASSERT_EQ(cli(folder, "reference " + session + " --at 2.5").status, 0);
    const Session moved = loadDocument(folder / "S.json").session();
    EXPECT_NE(findRow(moved, "reference")->sources.front().offset, 0.0);
    a = cli(folder, "reference " + session + " --do cowbell");
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("says what may be done"), std::string::npos) << a.err;
    a = cli(folder, "reference " + session + " kick-in");
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("no reference"), std::string::npos) << a.err;
}

}  // namespace
}  // namespace ember
