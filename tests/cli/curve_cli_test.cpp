// Curves on the command line.

#include "core/audio/file.h"
#include "core/session/curves.h"
#include "core/session/file.h"
#include "tests/support/cli.h"

#include <nlohmann/json.hpp>

namespace ember {
namespace {

using Json = nlohmann::json;
using test::Answer;
using test::cli;
using test::quoted;
using test::TempFolder;

TEST(Cli, DrawsCurvesListsThemAndRendersByThem) {
    const TempFolder folder;
    const auto session = folder / "s.json";
    ASSERT_EQ(
        cli(folder, "intake " + quoted(test::shortRecordingFolder()) + " --out " + quoted(session))
            .status,
        0);
    const std::string at = quoted(session);
    const auto rendered = [&](const char* name) {
        EXPECT_EQ(
            cli(folder, "render " + at + " --depth 32f --out " + quoted(folder / name)).status, 0);
        return readAudio(folder / name);
    };
    const AudioBuffer before = rendered("a.wav");
    const Answer drawn = cli(folder, "curve draw " + at +
                                         " 'snare top' seat.level '1 0' '1:3 -12 hold' "
                                         "'2:2.5 -3 ease' --json");
    ASSERT_EQ(drawn.status, 0) << drawn.err;
    EXPECT_NE(Json::parse(drawn.out)["changes"][0].get<std::string>().find("curve of 3 points"),
              std::string::npos);
    EXPECT_NE(rendered("b.wav"), before);

    const auto list = Json::parse(cli(folder, "curve list " + at + " --json").out)["curves"];
    ASSERT_EQ(list.size(), 1u);
    EXPECT_EQ(list[0]["element"], "snare-top");
    EXPECT_EQ(list[0]["parameter"], "seat.level");
    EXPECT_EQ(list[0]["points"][1]["quarter"], 2.0);
    EXPECT_EQ(list[0]["points"][2]["place"], "2:2.50");
    EXPECT_EQ(list[0]["points"][1]["shape"], "hold");

    EXPECT_EQ(cli(folder, "curve off " + at + " snare-top seat.level").status, 0);
    EXPECT_EQ(rendered("c.wav"), before) << "passed by, the value that is set holds";
    EXPECT_EQ(cli(folder, "curve on " + at + " snare-top seat.level").status, 0);
    // As a wave, with another that follows it.
    EXPECT_EQ(
        cli(folder, "curve wave " + at + " snare-top seat.level --bars 2 --lowest -9 --highest 0")
            .status,
        0);
    EXPECT_EQ(
        cli(folder, "curve together " + at + " snare-top seat.level Breath --lowest -9 --highest 0")
            .status,
        0);
    const Answer told =
        cli(folder, "curve together " + at + " hat seat.level Breath --lowest 0 --highest -9");
    EXPECT_NE(told.out.find("with “Breath” from 0.0 dB to −9.0 dB"), std::string::npos) << told.out;
    EXPECT_EQ(Json::parse(cli(folder, "curve list " + at + " --json").out)["curves"].size(), 2U);
    EXPECT_EQ(cli(folder, "curve alone " + at + " hat seat.level").status, 0);
    EXPECT_NE(cli(folder, "curve alone " + at + " hat seat.level").status, 0);
    EXPECT_EQ(cli(folder, "curve clear " + at + " hat seat.level").status, 0);
    EXPECT_EQ(cli(folder, "curve clear " + at + " snare-top seat.level").status, 0);
    EXPECT_EQ(rendered("d.wav"), before);

    // A send that opens for every second accent of the snare alone.
    ASSERT_EQ(cli(folder, "bus " + at + " Burst").status, 0);
    ASSERT_EQ(cli(folder, "send " + at + " snare-top burst --level -6").status, 0);
    const Answer open = cli(folder, "curve strokes " + at +
                                        " snare-top send.burst.level --drum snare --every 2 "
                                        "--open -6 --closed -90 --length 1/16");
    EXPECT_EQ(open.status, 0) << open.err;
    const Session s = loadDocument(session).session();
    const Curve* curve = findCurve(s, {"snare-top", "", "burst", "level"});
    ASSERT_NE(curve, nullptr);
    EXPECT_GE(curve->points.size(), 3u);

    const auto refused = [&](const std::string& arguments) {
        const Answer a = cli(folder, "curve draw " + at + " " + arguments);
        EXPECT_EQ(a.status, 1) << arguments;
        return a.err;
    };
    EXPECT_NE(refused("snare-top gate.look-ahead '1 3'").find("how late"), std::string::npos);
    EXPECT_NE(refused("snare-top seat.level '1:0 3'").find("BAR:BEAT"), std::string::npos);
    EXPECT_NE(refused("snare-top seat.level '1 300'").find("12.0 dB"), std::string::npos);
    EXPECT_NE(refused("snare-top seat.level '1'").find("no point"), std::string::npos);
    EXPECT_EQ(loadDocument(session).session(), s) << "what is refused changes nothing";
}

TEST(Cli, CollectsASessionThatOpensElsewhere) {
    const TempFolder folder;
    const auto session = folder / "s.json";
    ASSERT_EQ(
        cli(folder, "intake " + quoted(test::shortRecordingFolder()) + " --out " + quoted(session))
            .status,
        0);
    const Answer done =
        cli(folder, "collect " + quoted(session) + " --out " + quoted(folder / "all") + " --json");
    ASSERT_EQ(done.status, 0) << done.err;
    const auto json = Json::parse(done.out);
    EXPECT_GT(json["files"].get<int>(), 8);
    EXPECT_TRUE(json["missing"].empty());
    std::filesystem::rename(folder / "all", folder / "moved");
    const auto there =
        folder / "moved" / std::filesystem::path(json["session"].get<std::string>()).filename();
    EXPECT_EQ(cli(folder, "check " + quoted(there)).status, 0);
    EXPECT_EQ(
        cli(folder, "collect " + quoted(session) + " --out " + quoted(folder / "moved")).status, 1);
    // As one file, and as a template that another session begins as.
    const auto pack = folder / "way.caskpack";
    ASSERT_EQ(cli(folder, "collect " + quoted(session) + " --out " + quoted(pack)).status, 0);
    const Answer back =
        cli(folder, "unpack " + quoted(pack) + " --out " + quoted(folder / "back") + " --json");
    ASSERT_EQ(back.status, 0) << back.err;
    const std::filesystem::path unpacked = Json::parse(back.out)["session"].get<std::string>();
    EXPECT_EQ(cli(folder, "check " + quoted(unpacked)).status, 0);
    EXPECT_NE(
        cli(folder, "collect --template " + quoted(session) + " --out " + quoted(folder / "t"))
            .err.find(".caskpack"),
        std::string::npos);
    ASSERT_EQ(
        cli(folder, "collect --template " + quoted(session) + " --out " + quoted(pack)).status, 0);
    const Answer begun = cli(folder, "intake " + quoted(test::shortRecordingFolder()) + " --like " +
                                         quoted(pack) + " --out " + quoted(folder / "b.json"));
    EXPECT_EQ(begun.status, 0) << begun.err;
    EXPECT_TRUE(std::filesystem::is_directory(folder / "way")) << begun.out;
}

}  // namespace
}  // namespace ember
