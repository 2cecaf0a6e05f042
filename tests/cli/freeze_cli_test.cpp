// Rows made into audio without a window.
#include "core/audio/file.h"
#include "core/session/file.h"
#include "tests/support/cli.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <filesystem>

namespace ember {
namespace {

using Json = nlohmann::json;
using test::Answer;
using test::cli;
using test::quoted;
using test::TempFolder;

const Json& lineOf(const Json& list, const std::string& row) {
    for (const Json& line : list["rows"]) {
        if (line["row"] == row) return line;
    }
    return list;
}

TEST(Cli, FreezesRowsAndRendersTheSame) {
    const TempFolder folder;
    const std::string session = test::takenIn(folder);
    ASSERT_EQ(cli(folder, "set " + session + " snare-top gate.threshold -- -30").status, 0);
    ASSERT_EQ(cli(folder, "set " + session + " snare-top gate.key-source strokes").status, 0);
    const auto render = [&](const char* name) {
        EXPECT_EQ(
            cli(folder, "render " + session + " --depth 32f --out " + quoted(folder / name)).status,
            0);
        return readAudio(folder / name);
    };
    const AudioBuffer live = render("live.wav");
    Answer a = cli(folder, "freeze " + session + " 'Snare Top' drum-bus");
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_EQ(a.out, "Snare Top · frozen\nDrum bus · frozen\n");
    EXPECT_EQ(render("cold.wav"), live);
    a = cli(folder, "freeze " + session + " --costs --json");
    ASSERT_EQ(a.status, 0) << a.err;
    Json list = Json::parse(a.out);
    EXPECT_TRUE(lineOf(list, "snare-top")["plays_print"].get<bool>());
    EXPECT_TRUE(lineOf(list, "drum-bus")["plays_print"].get<bool>());
    EXPECT_FALSE(lineOf(list, "hat")["frozen"].get<bool>());
    EXPECT_GT(lineOf(list, "hat")["share"].get<double>(), 0.0);
    // Beside the session, read from there; moved together they open elsewhere.
    const Session saved = loadDocument(folder / "S.json").session();
    EXPECT_EQ(
        std::filesystem::path(findRow(saved, "drum-bus")->frozen->audio[0].file).parent_path(),
        "S.prints");
    ASSERT_EQ(cli(folder, "set " + session + " hat seat.level -- -12").status, 0);
    list = Json::parse(cli(folder, "freeze " + session + " --json").out);
    EXPECT_FALSE(lineOf(list, "drum-bus")["plays_print"].get<bool>()) << "a member is another";
    EXPECT_TRUE(lineOf(list, "snare-top")["plays_print"].get<bool>());
    EXPECT_NE(render("edited.wav"), live);
    ASSERT_EQ(cli(folder, "freeze " + session + " snare-top drum-bus --live").status, 0);
    EXPECT_FALSE(findRow(loadDocument(folder / "S.json").session(), "snare-top")->frozen);
    EXPECT_EQ(cli(folder, "freeze " + session + " main").status, 1);
    // The save before still plays them; one more and nothing does.
    EXPECT_EQ(cli(folder, "freeze " + session + " --tidy").out, "Every print is still needed.\n");
    ASSERT_EQ(cli(folder, "set " + session + " hat seat.level -- -11").status, 0);
    EXPECT_EQ(
        Json::parse(cli(folder, "freeze " + session + " --tidy --json").out)["deleted"].size(), 2U);
}

TEST(Cli, PrintsARowBesideTheMixAndSaysHowItAddsUp) {
    const TempFolder folder;
    const std::string session = test::takenIn(folder);
    Answer a = cli(folder, "print " + session + " snare-top --semitones -5");
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_NE(a.out.find("printed of Snare Top"), std::string::npos) << a.out;
    const Session s = loadDocument(folder / "S.json").session();
    const Row* made = nullptr;
    for (const Row& row : s.rows) {
        if (row.printed) made = &row;
    }
    ASSERT_NE(made, nullptr);
    EXPECT_EQ(made->printed->semitones, -5.0);
    a = cli(folder, "adds-up " + session + " " + made->id + " --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json found = Json::parse(a.out);
    EXPECT_EQ(found["bands"].size(), 10U);
    EXPECT_EQ(found["into"], made->parent);
    a = cli(folder, "bus-check " + session + " 'Drum bus' --json");
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_GT(Json::parse(a.out)["members"].size(), 3U);
    // Changed, it is old, and is printed anew.
    ASSERT_EQ(cli(folder, "set " + session + " snare-top eq.b3.gain 6").status, 0);
    const Json checks = Json::parse(cli(folder, "check " + session + " --delivery --json").out);
    EXPECT_NE(checks.dump().find("as it was before that was changed"), std::string::npos);
    a = cli(folder, "print " + session + " " + made->id);
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_NE(a.out.find("printed anew"), std::string::npos) << a.out;
    EXPECT_EQ(Json::parse(cli(folder, "check " + session + " --delivery --json").out)
                  .dump()
                  .find("as it was before that was changed"),
              std::string::npos);
}

TEST(Cli, PrintsAStackToSamples) {
    const TempFolder folder;
    const std::string session = quoted(folder / "K.json");
    ASSERT_EQ(cli(folder, "demo --one-shots --out " + quoted(folder / "shots")).status, 0);
    ASSERT_EQ(cli(folder, "kit " + quoted(folder / "shots") + " --out " + session).status, 0);
    const Session s = loadDocument(folder / "K.json").session();
    const auto row =
        std::find_if(s.rows.begin(), s.rows.end(), [](const Row& r) { return !r.layers.empty(); });
    ASSERT_NE(row, s.rows.end());
    const Answer a = cli(folder, "layer print " + session + " " + row->id + " --out " +
                                     quoted(folder / "out") + " --steps 2 --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json made = Json::parse(a.out);
    ASSERT_EQ(made["samples"].size(), 2U);
    EXPECT_TRUE(std::filesystem::exists(made["recipe"].get<std::string>()));
    EXPECT_NE(readSoundNotes(made["samples"][0]["file"].get<std::string>()).comment, "");
}

}  // namespace
}  // namespace ember
