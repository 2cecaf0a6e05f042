// Programmed kits, layers and the library on the command line.

#include "core/audio/file.h"
#include "core/session/file.h"
#include "tests/support/cli.h"

#include <nlohmann/json.hpp>

#include <map>

namespace ember {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;
using test::Answer;
using test::cli;
using test::quoted;
using test::TempFolder;

TEST(Cli, MakesAProgrammedKitAndItsNotes) {
    const TempFolder folder;
    const fs::path shots = folder / "shots", session = folder / "kit.json";
    ASSERT_EQ(cli(folder, "demo --one-shots --out " + quoted(shots)).status, 0);
    Answer a = cli(folder, "kit " + quoted(shots) + " --midi " + quoted(shots / "beat.mid") +
                               " --out " + quoted(session) + " --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json kit = Json::parse(a.out);
    EXPECT_EQ(kit["elements"].size(), 14U);
    std::map<std::string, std::string> drums;
    for (const Json& e : kit["elements"]) drums[e["file"]] = e["drum_id"];
    EXPECT_EQ(drums["kick body.wav"], "kick");
    EXPECT_EQ(drums["hat open.wav"], "hihat");
    EXPECT_EQ(drums["floor tom.wav"], "floor-tom");
    const Json pattern =
        Json::parse(cli(folder, "pattern show " + quoted(session) + " --json").out);
    ASSERT_EQ(pattern["notes"].size(), kit["notes"].get<std::size_t>());
    const Json& note = pattern["notes"][5];
    EXPECT_EQ(note["ppq"], 960);
    EXPECT_NEAR(note["time_s"].get<double>(),
                note["tick"].get<double>() / 960.0 * 60.0 / kit["tempo"].get<double>(), 1e-6);
    // Out and in again: the same notes.
    const fs::path out = folder / "out.mid";
    ASSERT_EQ(cli(folder, "midi export " + quoted(session) + " " + quoted(out)).status, 0);
    a = cli(folder, "midi import " + quoted(session) + " " + quoted(out) + " --json");
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_TRUE(Json::parse(a.out)["changes"].empty()) << a.out;
    EXPECT_EQ(cli(folder, "pattern humanise " + quoted(session) + " --timing 6 --seed 3").status,
              0);
    EXPECT_NE(Json::parse(cli(folder, "pattern show " + quoted(session) + " --json").out)["notes"],
              pattern["notes"]);
    EXPECT_EQ(cli(folder, "undo " + quoted(session)).status, 0);
    EXPECT_EQ(Json::parse(cli(folder, "pattern show " + quoted(session) + " --json").out), pattern);
    EXPECT_EQ(
        cli(folder, "render " + quoted(session) + " --out " + quoted(folder / "mix.wav")).status,
        0);
    EXPECT_EQ(cli(folder, "check " + quoted(session)).status, 0);
    // What each layer gives.
    const Json layers =
        Json::parse(cli(folder, "layer contributions " + quoted(session) + " kick --json").out);
    ASSERT_EQ(layers.size(), 2U);
    EXPECT_EQ(layers[0]["layer"], "kick-body");
    EXPECT_TRUE(layers[0]["missed"]);
    EXPECT_FALSE(layers[1]["missed"]);  // it is off
    EXPECT_EQ(cli(folder, "layer set " + quoted(session) + " kick kick-beater.on on").status, 0);
    EXPECT_EQ(cli(folder, "layer fit " + quoted(session) + " kick").status, 0);
    a = cli(folder, "layer set " + quoted(session) + " kick kick-beater.level loud");
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("Level takes"), std::string::npos) << a.err;
}

TEST(Cli, AlignsTwoSoundsAndFindsThemInTheLibrary) {
    const TempFolder folder;
    const fs::path shots = folder / "shots";
    ASSERT_EQ(cli(folder, "demo --one-shots --out " + quoted(shots)).status, 0);
    AudioBuffer late = readAudio(shots / "kick body.wav");
    late.channels[0].insert(late.channels[0].begin(), 300, 0.0F);
    for (float& x : late.channels[0]) x *= -0.5F;
    writeAudio(folder / "late.wav", late, SampleDepth::float32);
    const Json found = Json::parse(cli(folder, "layer align " + quoted(shots / "kick body.wav") +
                                                   " " + quoted(folder / "late.wav") + " --json")
                                       .out);
    EXPECT_NEAR(found["shift_samples"].get<double>(), -300.0, 0.5);
    EXPECT_TRUE(found["flip"]);
    EXPECT_TRUE(found["related"]);
    const std::string index = " --index " + quoted(folder / "library.sqlite");
    const Json scan =
        Json::parse(cli(folder, "library scan " + quoted(shots) + index + " --json").out);
    EXPECT_EQ(scan["added"], 14);
    const Json like = Json::parse(
        cli(folder, "library similar " + quoted(folder / "late.wav") + index + " --limit 3 --json")
            .out);
    ASSERT_EQ(like.size(), 3U);
    EXPECT_EQ(fs::path(like[0]["file"].get<std::string>()).filename(), "kick body.wav");
    EXPECT_EQ(cli(folder, "library scan " + quoted(folder / "nowhere") + index).status, 1);
}

TEST(Cli, SupportsARecordedSnareWithSamples) {
    const TempFolder folder;
    const fs::path session = folder / "s.json";
    saveDocument(session, Document(withRelativePaths(test::shortSession(), session)));
    test::writeMono(folder / "crack.wav", test::noise(0.5, 2000));
    Answer a = cli(folder, "layer support " + quoted(session) + " snare " +
                               quoted(folder / "crack.wav") + " --json");
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_NE(a.out.find("Snare Layers"), std::string::npos) << a.out;
    EXPECT_EQ(cli(folder, "layer set " + quoted(session) + " snare-layers crack.struck-by accents")
                  .status,
              0);
    const Document saved = loadDocument(session);
    EXPECT_EQ(findRow(saved.session(), "snare-layers")->layers[0].sounds[0].file, "crack.wav");
    EXPECT_FALSE(saved.session().strokes.get().empty());
    a = cli(folder, "layer support " + quoted(session) + " gong " + quoted(folder / "crack.wav"));
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("no drum"), std::string::npos) << a.err;
}

}  // namespace
}  // namespace ember
