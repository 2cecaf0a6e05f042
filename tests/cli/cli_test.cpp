// The command line as a stranger runs it.

#include "tests/support/cli.h"

#include "core/audio/file.h"
#include "core/session/file.h"
#include "tests/support/support.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

namespace fs = std::filesystem;
using Json = nlohmann::json;
using test::Answer;
using test::cli;
using test::quoted;
using test::TempFolder;

// The short recording under names as engineers write them, two of which say nothing.
TEST(Cli, AddsRecordingsToASessionAndTakesThemBack) {
    const TempFolder folder;
    const fs::path session = folder / "s.json";
    test::writeMono(folder / "Kick.wav", test::noise(0.5, 48000, 1));
    test::writeMono(folder / "line 7.wav", test::noise(0.5, 48000, 2));
    ASSERT_EQ(cli(folder,
                  "intake " + quoted(folder / "Kick.wav") + " --tempo 90 --out " + quoted(session))
                  .status,
              0);
    const std::string add = "intake " + quoted(folder / "line 7.wav");
    EXPECT_NE(cli(folder, add).status, 0) << "neither a new session nor one that is there";
    const Answer a = cli(folder, add + " --into " + quoted(session) + " --as guest --json");
    ASSERT_EQ(a.status, 0) << a.out;
    EXPECT_EQ(Json::parse(a.out)["elements"][0]["kind"], "guest");
    const Document document = loadDocument(session);
    const Row* guest = findRow(document.session(), "line-7");
    ASSERT_NE(guest, nullptr);
    EXPECT_EQ(guest->kind, RowKind::guest);
    EXPECT_FALSE(document.log().empty()) << "an edit, and a line in the logbook";
    ASSERT_EQ(cli(folder, "undo " + quoted(session)).status, 0);
    EXPECT_EQ(findRow(loadDocument(session).session(), "line-7"), nullptr);
}

TEST(Cli, IntakeSaysWhoIsWhoHowSureAndOnWhatGrounds) {
    const TempFolder folder;
    const fs::path takes = folder / "takes";
    fs::create_directories(takes);
    for (const auto& [from, to] :
         std::initializer_list<std::pair<const char*, const char*>>{{"Kick In", "01_KIKin"},
                                                                    {"Kick Out", "02_SUBKICK-dp"},
                                                                    {"Snare Top", "03_SnTp.02"},
                                                                    {"Snare Bottom", "Audio 4"},
                                                                    {"Hat", "05_HH-dp"},
                                                                    {"Rack Tom", "06_RkTom"},
                                                                    {"Floor Tom", "07_FlrTom"},
                                                                    {"Ride", "Audio 8"},
                                                                    {"Overhead L", "09_OHL-dp"},
                                                                    {"Overhead R", "10_OHR-dp"},
                                                                    {"Room", "11_RmFar st"}})
        fs::copy_file(test::shortRecordingFolder() / (std::string(from) + ".wav"),
                      takes / (std::string(to) + ".wav"));
    const std::string session = quoted(folder / "S.json");
    Answer a = cli(folder, "intake " + quoted(takes) + " --out " + session + " --tempo 104 --json");
    ASSERT_EQ(a.status, 0) << a.err;
    std::map<std::string, Json> elements;
    const Json told = Json::parse(a.out);
    for (const Json& e : told["elements"]) {
        for (const char* field : {"files", "role", "sure", "grounds", "alternatives"})
            EXPECT_TRUE(e.contains(field)) << field;
        elements[e["files"][0]] = e;
    }
    EXPECT_EQ(elements.size(), 10U);
    EXPECT_EQ(elements["09_OHL-dp.wav"]["role"], "overhead");
    EXPECT_EQ(elements["09_OHL-dp.wav"]["files"].size(), 2U) << "left and right are one";
    EXPECT_EQ(elements["09_OHL-dp.wav"]["name"], "Overhead");
    EXPECT_EQ(elements["02_SUBKICK-dp.wav"]["role"], "kick-out");
    EXPECT_EQ(elements["Audio 4.wav"]["role"], "snare-bottom");
    EXPECT_EQ(elements["Audio 4.wav"]["grounds"][0], "sound");
    EXPECT_GT(elements["01_KIKin.wav"]["sure"].get<double>(), 0.9);
    // And corrected later.
    ASSERT_EQ(cli(folder, "set " + session + " Hat name 'Big Hat'").status, 0);
    ASSERT_EQ(cli(folder, "set " + session + " 'Big Hat' role ride").status, 0);
    ASSERT_EQ(cli(folder, "set " + session + " Overhead sides part").status, 0);
    ASSERT_EQ(cli(folder, "set " + session + " 'Overhead L' pair 'Overhead R'").status, 0);
    const Session s = loadDocument(folder / "S.json").session();
    EXPECT_EQ(findRow(s, "hat")->name, "Big Hat");
    EXPECT_EQ(findRow(s, "hat")->role, Role::ride);
    EXPECT_EQ(findRow(s, "overhead")->sources.size(), 2U);
    EXPECT_EQ(cli(folder, "set " + session + " 'Big Hat' role gong").status, 1);
}

TEST(Cli, MeasuresAdvisesAndAccepts) {
    const TempFolder folder;
    const std::string session = quoted(folder / "S.json"), next = quoted(folder / "S2.json");
    Answer a = cli(folder, "intake " + quoted(test::shortRecordingFolder()) + " --out " + session +
                               " --tempo 104");
    ASSERT_EQ(a.status, 0) << a.err;
    a = cli(folder, "measure " + session + " --what strokes,phase --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json measured = Json::parse(a.out);
    EXPECT_GT(measured["strokes"].size(), 40U);
    for (const char* field :
         {"time_s", "drum", "drum_id", "drum_name", "mic", "velocity", "kind", "confidence"})
        EXPECT_TRUE(measured["strokes"][0].contains(field)) << field;
    for (const char* field : {"drum", "mic", "reference", "delay_samples", "polarity", "coherence"})
        EXPECT_TRUE(measured["phase"][0].contains(field)) << field;
    EXPECT_FALSE(measured.contains("tone"));
    a = cli(folder, "measure " + session + " --out " + quoted(folder / "strokes.csv"));
    ASSERT_EQ(a.status, 0) << a.err;
    const std::string csv = test::readText(folder / "strokes.csv");
    EXPECT_TRUE(csv.starts_with("time_s,drum,drum_id,drum_name,mic,velocity,kind,confidence\n"));
    EXPECT_EQ(static_cast<std::size_t>(std::count(csv.begin(), csv.end(), '\n')),
              measured["strokes"].size() + 1);
    a = cli(folder, "measure " + session + " --out " + quoted(folder / "strokes.mid"));
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_TRUE(test::readText(folder / "strokes.mid").starts_with("MThd"));
    a = cli(folder, "measure " + session + " --what time,dynamics --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json more = Json::parse(a.out);
    EXPECT_NEAR(more["grid"]["bpm"].get<double>(), 104.0, 0.2);
    EXPECT_EQ(more["grid"]["alternatives_bpm"].size(), 2U);
    EXPECT_EQ(more["levels"].size(), 10U);
    EXPECT_GE(more["buses"].size(), 5U);
    for (const char* field : {"loudness_lufs", "true_peak_dbtp", "correlation", "mono_loss_db"})
        EXPECT_TRUE(more["buses"][0].contains(field)) << field;
    EXPECT_GT(more["image"].size(), 4U);
    a = cli(folder, "ledger " + session + " snare-top --json");
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_EQ(Json::parse(a.out)["lines"][0]["row"], "snare-top");
    a = cli(folder, "order " + session + " snare-top compressor");
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("choose an earlier one"), std::string::npos) << a.err;
    a = cli(folder,
            "advise " + session + " --step gate --accept snare-top.gate --out " + next + " --json");
    ASSERT_EQ(a.status, 0) << a.err;
    bool measuredEffect = false;
    const Json advice = Json::parse(a.out);
    for (const Json& p : advice["proposals"]) {
        EXPECT_EQ(p["step"], "gate");
        if (p["id"] == "snare-top.gate")
            measuredEffect = p["accepted"] == true && p["effects"].back().contains("measured");
    }
    EXPECT_TRUE(measuredEffect);
    const Session accepted = loadDocument(folder / "S2.json").session();
    EXPECT_TRUE(findStage(*findRow(accepted, "snare-top"), "gate")->on);
    EXPECT_FALSE(accepted.strokes.get().empty());
    a = cli(folder, "measure " + session + " --what taste");
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("taste"), std::string::npos);
    a = cli(folder, "advise " + session + " --accept nobody");
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("nobody"), std::string::npos);
    a = cli(folder, "advise " + session + " --gate magic");
    EXPECT_EQ(a.status, 2);
}

TEST(Cli, GoesFromFilesToAMixedFile) {
    const TempFolder folder;
    const std::string session = quoted(folder / "S.json"), mix = quoted(folder / "M.wav"),
                      stems = quoted(folder / "T");
    Answer a = cli(folder, "intake " + quoted(test::shortRecordingFolder()) + " --out " + session +
                               " --tempo 104 --json");
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_EQ(Json::parse(a.out)["elements"].size(), 12U);
    a = cli(folder, "set " + session + " 'Snare Top' gate.threshold -28.5");
    ASSERT_EQ(a.status, 0) << a.err;
    EXPECT_NE(a.out.find("Threshold"), std::string::npos);
    a = cli(folder, "set " + session + " drum-bus compressor.threshold -24 --json");
    ASSERT_EQ(a.status, 0) << a.err;
    a = cli(folder, "render " + session + " --out " + mix + " --stems " + stems +
                        " --threads 2 --block 480 --depth 32f --json");
    ASSERT_EQ(a.status, 0) << a.err;
    const Json report = Json::parse(a.out);
    EXPECT_LT(report["loudness"]["sample_peak_dbfs"].get<double>(), 0.0);
    EXPECT_LT(report["stems"]["pre_bus_residue_dbfs"].get<double>(), -120.0);
    EXPECT_LT(report["stems"]["through_buses_residue_dbfs"].get<double>(), -120.0);
    EXPECT_TRUE(report["stems"]["buses_replay_exactly"].get<bool>());
    const AudioBuffer first = readAudio(folder / "M.wav");
    ASSERT_EQ(
        cli(folder, "render " + session + " --out " + mix + " --threads 1 --block 17 --depth 32f")
            .status,
        0);
    EXPECT_EQ(readAudio(folder / "M.wav"), first);
    a = cli(folder, "loudness " + mix + " --json");
    ASSERT_EQ(a.status, 0);
    EXPECT_NEAR(Json::parse(a.out)["integrated_lufs"].get<double>(),
                report["loudness"]["integrated_lufs"].get<double>(), 0.01);
    EXPECT_EQ(cli(folder, "check " + session).status, 0);
    a = cli(folder, "show " + session + " --json");
    EXPECT_EQ(Json::parse(a.out)["format"], "ember-cask session");
    EXPECT_NE(cli(folder, "show " + session).out.find("snare-top"), std::string::npos);
}

TEST(Cli, TellsBadUseFromFailedJobs) {
    const TempFolder folder;
    for (const char* bad : {"", "juggle", "render", "render s.json", "demo", "set s.json a",
                            "render s.json --out m.wav --depth 12",
                            "render s.json --out m.wav --threads none", "intake --out s.json"}) {
        const Answer a = cli(folder, bad);
        EXPECT_EQ(a.status, 2) << bad;
        EXPECT_FALSE(a.err.empty()) << bad;
    }
    test::writeText(folder / "broken.json", "{\"format\": \"ember-cask session\", ");
    test::writeText(folder / "text.wav", "no audio");
    for (const std::string& bad :
         {"show " + quoted(folder / "nothing.json"), "show " + quoted(folder / "broken.json"),
          "loudness " + quoted(folder / "text.wav"),
          "intake " + quoted(folder / "text.wav") + " --out " + quoted(folder / "s.json"),
          "intake /nowhere --out " + quoted(folder / "s.json")}) {
        const Answer a = cli(folder, bad);
        EXPECT_EQ(a.status, 1) << bad;
        EXPECT_EQ(std::count(a.err.begin(), a.err.end(), '\n'), 1) << a.err;
        EXPECT_EQ(a.err.substr(a.err.size() - 2), ".\n") << a.err;
    }
    EXPECT_FALSE(fs::exists(folder / "s.json"));
    EXPECT_EQ(cli(folder, "--help").status, 0);
    EXPECT_EQ(cli(folder, "--version").status, 0);
}

TEST(Cli, NamesMissingAndChangedRecordings) {
    const TempFolder folder;
    test::writeMono(folder / "Kick.wav", test::noise(0.2, 48000, 1));
    test::writeMono(folder / "Snare.wav", test::noise(0.2, 48000, 2));
    const std::string session = quoted(folder / "S.json");
    ASSERT_EQ(cli(folder, "intake " + quoted(folder.path()) + " --out " + session).status, 0);
    test::writeMono(folder / "Kick.wav", test::noise(0.2, 48000, 7));
    fs::remove(folder / "Snare.wav");
    Answer a = cli(folder, "check " + session + " --json");
    EXPECT_EQ(a.status, 1);
    EXPECT_EQ(Json::parse(a.out)["problems"].size(), 2U);
    EXPECT_NE(a.err.find("Kick.wav"), std::string::npos);
    EXPECT_NE(a.err.find("Snare.wav"), std::string::npos);
    a = cli(folder, "render " + session + " --out " + quoted(folder / "M.wav"));
    EXPECT_EQ(a.status, 1);
    EXPECT_NE(a.err.find("Snare.wav"), std::string::npos);
    EXPECT_TRUE(fs::exists(folder / "M.wav")) << "what is there is rendered";
}

TEST(Cli, ANoteIsWantedOfADrumAndTuningProposed) {
    const TempFolder folder;
    const std::string file = quoted(folder / "s.json");
    saveDocument(folder / "s.json", Document(test::shortSession()));
    const Answer set = cli(folder, "set " + file + " snare-top note 208");
    ASSERT_EQ(set.status, 0) << set.err;
    EXPECT_NE(set.out.find("note wanted of the Snare: 208.0 Hz"), std::string::npos) << set.out;
    EXPECT_DOUBLE_EQ(noteTarget(loadDocument(folder / "s.json").session(), "snare"), 208.0);
    const Answer bad = cli(folder, "set " + file + " snare-top note 5");
    EXPECT_EQ(bad.status, 1);
    EXPECT_NE(bad.err.find("Note takes 20.0 Hz to 1.00 kHz"), std::string::npos) << bad.err;
    EXPECT_NE(cli(folder, "set " + file + " overhead note 100").err.find("There is no drum"),
              std::string::npos);
    const Answer advised = cli(folder, "advise " + file + " --step repair --eq later --json");
    ASSERT_EQ(advised.status, 0) << advised.err;
    EXPECT_NE(advised.out.find("snare-top.tune"), std::string::npos);
    ASSERT_EQ(cli(folder, "set " + file + " snare-top note none").status, 0);
    EXPECT_TRUE(loadDocument(folder / "s.json").session().notes.empty());
}

TEST(Cli, WhatIsUsualGoesByTheStyle) {
    const TempFolder folder;
    const std::string file = quoted(folder / "s.json");
    saveDocument(folder / "s.json", Document(test::shortSession()));
    const Answer set = cli(folder, "set " + file + " main style jazz");
    ASSERT_EQ(set.status, 0) << set.err;
    EXPECT_NE(set.out.find("style: jazz"), std::string::npos) << set.out;
    const Answer advised = cli(folder, "advise " + file + " --step gate");
    ASSERT_EQ(advised.status, 0) << advised.err;
    EXPECT_NE(advised.out.find("dB in jazz"), std::string::npos) << advised.out;
    EXPECT_NE(cli(folder, "set " + file + " snare-top style rock").err.find("set it on the row"),
              std::string::npos);
    EXPECT_NE(cli(folder, "set " + file + " main style polka").err.find("is no style; known are"),
              std::string::npos);
}

TEST(Cli, PrintsThePublishedListOfProcessors) {
    const TempFolder folder;
    EXPECT_EQ(cli(folder, "processors").out,
              test::readText(fs::path(EMBER_SOURCE_FOLDER) / "docs/processors.md"))
        << "run: ./run cli processors > docs/processors.md";
    const Json json = Json::parse(cli(folder, "processors --json").out);
    ASSERT_EQ(json.size(), processorTypes().size());
    for (std::size_t i = 0; i < json.size(); ++i)
        EXPECT_EQ(json[i]["parameters"].size(), processorTypes()[i].table.size());
}

TEST(Cli, KeepsTheSessionWhenASettingIsRefused) {
    const TempFolder folder;
    test::writeMono(folder / "Kick.wav", test::noise(0.2, 48000, 1));
    const std::string session = quoted(folder / "S.json");
    ASSERT_EQ(cli(folder, "intake " + quoted(folder / "Kick.wav") + " --out " + session).status, 0);
    const std::string before = test::readText(folder / "S.json");
    for (const char* bad : {"kick gate.threshold loud", "kick gate.threshold 99",
                            "kick gate.volume 1", "kick phaser.rate 1", "cowbell gate.threshold -3",
                            "kick gate -3", "kick gate.on maybe"}) {
        const Answer a = cli(folder, "set " + session + " " + bad);
        EXPECT_EQ(a.status, 1) << bad;
        EXPECT_EQ(std::count(a.err.begin(), a.err.end(), '\n'), 1) << a.err;
    }
    EXPECT_EQ(test::readText(folder / "S.json"), before);
    EXPECT_EQ(cli(folder, "set " + session + " kick mute on").status, 0);
    EXPECT_TRUE(loadDocument(folder / "S.json").session().rows[0].mute);
}

// What the window does to a session, done by commands, each a line in the logbook.

TEST(Cli, PrintsOneStrokeBeforeAndAfterAProcessor) {
    const TempFolder folder;
    const fs::path file = folder / "session.json";
    Session s = test::shortSession();
    s = withValue(std::move(s), "snare-top", "compressor", "threshold", -30.0);
    s = withValue(std::move(s), "snare-top", "compressor", "ratio", 8.0);
    saveDocument(file, Document(s));
    const Answer told = cli(folder, "wave " + quoted(file) + " snare-top compressor");
    ASSERT_EQ(told.status, 0) << told.err;
    EXPECT_NE(told.out.find(" ms: "), std::string::npos);
    const Json wave =
        Json::parse(cli(folder, "wave " + quoted(file) + " snare-top compressor --json").out);
    const auto before = wave["before"].get<std::vector<float>>(),
               after = wave["after"].get<std::vector<float>>();
    ASSERT_EQ(before.size(), after.size());
    EXPECT_EQ(wave["starts_ms"].get<double>(), -10.0);
    EXPECT_GT(test::peakDb(before), -60.0);
    EXPECT_NE(before, after);
    EXPECT_NE(cli(folder, "wave " + quoted(file) + " snare-top nothing").status, 0);
}

TEST(Cli, EditsASessionAsTheWindowDoes) {
    const TempFolder folder;
    Session plain = test::shortSession();
    saveDocument(folder / "S.json", Document(withAbsolutePaths(plain, folder / "S.json")));
    const std::string s = quoted(folder / "S.json");
    const auto session = [&] { return loadDocument(folder / "S.json").session(); };
    const auto run = [&](const std::string& arguments) {
        const Answer a = cli(folder, arguments);
        EXPECT_EQ(a.status, 0) << arguments << ": " << a.err;
        return a.out;
    };
    run("add " + s + " hat clipper");
    ASSERT_NE(findStage(*findRow(session(), "hat"), "clipper"), nullptr);
    run("move " + s + " hat clipper -- -1");
    run("key " + s + " hat gate snare-top");
    EXPECT_EQ(findStage(*findRow(session(), "hat"), "gate")->key, "snare-top");
    run("key " + s + " hat gate none");
    EXPECT_EQ(findStage(*findRow(session(), "hat"), "gate")->key, "");
    run("set " + s + " hat gate.threshold -43");
    run("preset " + s + " hat gate " + quoted(folder / "gate.chain") + " --save");
    run("preset " + s + " ride gate " + quoted(folder / "gate.chain"));
    EXPECT_EQ(findStage(*findRow(session(), "ride"), "gate")->values,
              findStage(*findRow(session(), "hat"), "gate")->values);
    run("chain " + s + " hat " + quoted(folder / "hat.chain") + " --save");
    run("chain " + s + " ride " + quoted(folder / "hat.chain"));
    EXPECT_NE(findStage(*findRow(session(), "ride"), "clipper"), nullptr);
    run("remove " + s + " hat clipper");
    EXPECT_EQ(findStage(*findRow(session(), "hat"), "clipper"), nullptr);
    run("copy-chain " + s + " rack-tom floor-tom");
    run("target " + s + " kick -9 --strokes usual");
    ASSERT_EQ(session().targets.size(), 1U);
    EXPECT_DOUBLE_EQ(session().targets.front().db, -9.0);
    run("spot " + s + " Chorus --from 2 --to 4");
    EXPECT_EQ(session().spots.size(), 1U);
    run("spot " + s + " Chorus --remove");
    EXPECT_TRUE(session().spots.empty());
    run("decline " + s + " hat.gate");
    EXPECT_EQ(session().declined, std::vector<std::string>{"hat.gate"});
    run("decline " + s + " hat.gate --again");
    EXPECT_TRUE(session().declined.empty());
    run("set " + s + " hat eq.b3.name \"the edge\"");
    EXPECT_EQ(findStage(*findRow(session(), "hat"), "eq")->words.at("b3.name"), "the edge");
    run("set " + s + " main way-dynamics pair");
    EXPECT_EQ(session().ways.dynamics, DynamicsSchool::pair);
    run("time " + s + " --metre 7/8 --tempo 96 --bar 3 --start -0.5");
    const TimeMap told{-0.5, {{0.0, 104.0}, {8.0, 96.0}}, {{0, 4, 4}, {2, 7, 8}}};
    EXPECT_EQ(session().time, told);
    run("bus " + s + " plate --ready");
    EXPECT_NE(findStage(*findRow(session(), "plate"), "reverb"), nullptr);
    run("bus " + s + " plate --remove");
    run("bus " + s + " Crush");
    run("send " + s + " hat crush --level -8 --from before");
    run("send " + s + " hat crush --pan -30 --on off");
    EXPECT_EQ(findRow(session(), "hat")->sends,
              (std::vector<Send>{{"crush", true, false, -8.0, -30.0}}));
    EXPECT_NE(run("show " + s).find("→ crush (off), level −8.0 dB, pan −30 %, before the fader"),
              std::string::npos);
    run("send " + s + " hat crush --remove");
    run("bus " + s + " crush --remove");
    EXPECT_EQ(findRow(session(), "crush"), nullptr);
    // Back, and forth again; the logbook only grows.
    const auto lines = loadDocument(folder / "S.json").log().size();
    run("undo " + s);
    EXPECT_NE(findRow(session(), "crush"), nullptr);
    EXPECT_EQ(session().ways.dynamics, DynamicsSchool::pair);
    run("undo " + s);
    EXPECT_EQ(session().time, told);
    EXPECT_EQ(findRow(session(), "crush"), nullptr);
    EXPECT_EQ(loadDocument(folder / "S.json").log().size(), lines + 2);
    run("time " + s + " --tempo 100 --metre 3/4");
    EXPECT_EQ(session().time, steadyTime(100.0, -0.5, 3)) << "no bar named: the whole song";
    // A stroke put in and taken away.
    const auto before = session().strokes.get().size();
    run("stroke " + s + " Snare 3.333 --kind ghost --velocity 0.2");
    const auto now = session();
    EXPECT_TRUE(
        std::any_of(now.strokes.get().begin(), now.strokes.get().end(), [](const Stroke& k) {
            return k.drum == "snare" && std::abs(k.time - 3.333) < 1e-9 &&
                   k.kind == StrokeKind::ghost && k.byHand;
        }));
    EXPECT_GE(now.strokes.get().size(), before + 1);
    run("stroke " + s + " Snare 3.333 --remove");
    for (const auto& [arguments, word] : std::initializer_list<std::pair<std::string, std::string>>{
             {"stroke " + s + " Snare 0.0001 --remove", "30 ms"},
             {"spot " + s + " Back --from 4 --to 2", "later"},
             {"spot " + s + " Nowhere --remove", "Nowhere"},
             {"remove " + s + " hat seat", "exactly one"},
             {"set " + s + " hat style rock", "main"},
             {"time " + s + " --metre 4/5", "7/8"},
             {"time " + s + " --midi nowhere.mid", "nowhere.mid"},
             {"send " + s + " hat kick-in", "no bus"},
             {"send " + s + " drum-bus cymbal-bus", "comes round to itself"},
             {"send " + s + " hat main --level 40", "+12 dB"},
             {"send " + s + " hat main --remove", "no send"},
             {"bus " + s + " hat --remove", "no bus"},
             {"key " + s + " hat gate nobody", "nobody"}}) {
        const Answer a = cli(folder, arguments);
        EXPECT_EQ(a.status, 1) << arguments;
        EXPECT_NE(a.err.find(word), std::string::npos) << arguments << ": " << a.err;
    }
}

}  // namespace
}  // namespace ember
