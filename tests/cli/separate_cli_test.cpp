// Recordings taken apart and drums turned in microphones, on the command line.

#include "core/audio/file.h"
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

TEST(Cli, TakesAKitApartAndTurnsDrums) {
    const TempFolder folder;
    const auto session = folder / "s.json";
    ASSERT_EQ(
        cli(folder, "intake " + quoted(test::shortRecordingFolder()) + " --out " + quoted(session))
            .status,
        0);
    const Answer apart = cli(folder, "separate " + quoted(session) + " --out " +
                                         quoted(folder / "parts") + " --rows 'Snare Top' --json");
    ASSERT_EQ(apart.status, 0) << apart.err;
    const auto json = Json::parse(apart.out);
    std::vector<double> sum;
    for (const auto& file : json["files"]) {
        EXPECT_EQ(file["row"], "snare-top");
        const std::string name = "snare-top__" + file["drum"].get<std::string>() + ".wav";
        const AudioBuffer part = readAudio(folder / "parts" / name);
        sum.resize(part.frames(), 0.0);
        for (std::size_t i = 0; i < sum.size(); ++i)
            sum[i] += static_cast<double>(part.channels[0][i]);
    }
    ASSERT_EQ(json["files"].size(), json["drums"].size() + 1);
    const Document document = loadDocument(session);
    const AudioBuffer recording =
        readAudio(resolveSource(session, findRow(document.session(), "snare-top")->sources[0]));
    ASSERT_EQ(sum.size(), recording.frames()) << "its own length and time";
    for (std::size_t i = 0; i < sum.size(); ++i)
        ASSERT_NEAR(sum[i], static_cast<double>(recording.channels[0][i]), 1e-6) << i;

    ASSERT_EQ(cli(folder, "render " + quoted(session) + " --out " + quoted(folder / "a.wav") +
                              " --depth 32f")
                  .status,
              0);
    const Answer turned = cli(folder, "set " + quoted(session) + " 'snare top' bleed.snare -24");
    EXPECT_EQ(turned.status, 0) << turned.err;
    EXPECT_NE(turned.out.find("Snare 0 dB → −24.0 dB"), std::string::npos) << turned.out;
    EXPECT_EQ(cli(folder, "set " + quoted(session) + " snare-top bleed.amount 50").status, 0);
    EXPECT_TRUE(std::filesystem::exists(folder / "s.bleed"));
    ASSERT_EQ(cli(folder, "render " + quoted(session) + " --out " + quoted(folder / "b.wav") +
                              " --depth 32f")
                  .status,
              0);
    EXPECT_NE(readAudio(folder / "a.wav"), readAudio(folder / "b.wav")) << "the render follows";
    EXPECT_EQ(cli(folder, "check " + quoted(session)).status, 0);
    // One drum as a row of its own.
    ASSERT_EQ(cli(folder, "bus " + quoted(session) + " Hall").status, 0);
    const Answer alone = cli(folder, "alone " + quoted(session) + " snare-top snare --to Hall");
    EXPECT_EQ(alone.status, 0) << alone.err;
    EXPECT_NE(alone.out.find("Snare Alone"), std::string::npos) << alone.out;
    EXPECT_EQ(cli(folder, "check " + quoted(session)).status, 0);
    EXPECT_EQ(cli(folder, "undo " + quoted(session)).status, 0);
    // What cannot be is refused with its remedy, and the session stays.
    const std::string kept = test::readText(session);
    for (const char* wrong : {"snare-top bleed.cowbell -6", "snare-top bleed.kick 40",
                              "snare-top bleed.kick loud", "main bleed.kick -6"})
        EXPECT_EQ(cli(folder, "set " + quoted(session) + " " + wrong).status, 1) << wrong;
    EXPECT_EQ(cli(folder, "separate " + quoted(session) + " --out " + quoted(folder / "parts") +
                              " --rows nobody")
                  .status,
              1);
    for (const char* wrong : {"snare-top cowbell --to Hall", "hall snare --to Hall",
                              "snare-top snare --to hat", "snare-top snare --to nowhere"})
        EXPECT_EQ(cli(folder, "alone " + quoted(session) + " " + wrong).status, 1) << wrong;
    EXPECT_EQ(test::readText(session), kept);
    // Strokes that were corrected since are said.
    ASSERT_EQ(cli(folder, "stroke " + quoted(session) + " Snare 3.333").status, 0);
    const Answer stale = cli(folder, "check " + quoted(session));
    EXPECT_NE(stale.err.find("apart anew"), std::string::npos) << stale.err;
}

}  // namespace
}  // namespace ember
