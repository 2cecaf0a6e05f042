// Drums that keep their ids, roles, pairs, and sessions of format 1.

#include "core/base/error.h"
#include "core/dsp/equaliser.h"
#include "core/engine/render.h"
#include "core/measure/kit/kit_measure.h"
#include "core/session/bleed.h"
#include "core/session/diff.h"
#include "core/session/file.h"
#include "core/session/kit.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

#include <cmath>
#include <cstdint>

namespace ember {
namespace {

namespace fs = std::filesystem;

fs::path data(const char* name) {
    return fs::path(EMBER_SOURCE_FOLDER) / "tests/data" / name;
}

// The recordings that the session of format 1 was mixed from: noise that falls, by a formula.
void writeRecordings(const Session& session) {
    int k = 0;
    for (const Row& row : session.rows) {
        for (const Source& source : row.sources) {
            std::uint64_t x = 12345U + 977U * static_cast<std::uint64_t>(k++);
            std::vector<float> samples;
            for (int f = 0; f < 8 * 48000; ++f) {
                x = (1103515245U * x + 12345U) & 0x7fffffffU;
                const int value = static_cast<int>((x >> 12U) & 0x7fffU) - 16384;
                const int by = 1 + (f % 24000) / 600;
                // Rounded down, as the fixture's maker did.
                const int quotient = value >= 0 ? value / by : -((-value + by - 1) / by);
                samples.push_back(static_cast<float>(quotient) / 32768.0F);
            }
            fs::create_directories(fs::path(source.file).parent_path());
            test::writeMono(source.file, samples);
        }
    }
}

TEST(SessionFormat, AnOldSessionOpensAndSoundsTheSame) {
    const test::TempFolder folder;
    fs::copy_file(data("session-v1.json"), folder / "old.json");
    const Document old = loadDocument(folder / "old.json");
    const Session session = withAbsolutePaths(old.session(), folder / "old.json");
    writeRecordings(session);
    // Root mean square of each second, left and right, as rendered before the format changed.
    constexpr double rms[8][2]{{0.0374162, 0.0379553}, {0.0396601, 0.0391879},
                               {0.0400681, 0.0400986}, {0.0402208, 0.0405797},
                               {0.0401873, 0.0400767}, {0.0410262, 0.0417706},
                               {0.0381315, 0.0395331}, {0.0401642, 0.0409378}};
    const AudioBuffer mix = renderMix(session, test::sharedStore(), {});
    for (std::size_t s = 0; s < 8; ++s) {
        for (std::size_t c = 0; c < 2; ++c) {
            double sum = 0.0;
            for (std::size_t i = s * 48000; i < (s + 1) * 48000; ++i)
                sum += std::pow(static_cast<double>(mix.channels[c][i]), 2.0);
            EXPECT_NEAR(std::sqrt(sum / 48000.0), rms[s][c], 2e-6) << s << " " << c;
        }
    }
    // Places became ids.
    EXPECT_EQ(findRow(session, "floor-tom")->drum, "floor-tom");
    EXPECT_DOUBLE_EQ(noteTarget(session, "rack-tom"), 118.5);
    EXPECT_EQ(session.strokeEdits.front().stroke.drum, "floor-tom");
    for (const Stroke& s : session.strokes.get()) {
        EXPECT_FALSE(s.drum.starts_with("tom-")) << s.drum;
        EXPECT_NE(s.drum, "cymbal") << "the ride's own strokes";
    }
    // What nobody knew is kept, and saved as today's format it reads the same.
    const std::string text = toJson(old);
    EXPECT_NE(text.find("\"version\": " + std::to_string(Session::kVersion)), std::string::npos);
    EXPECT_NE(text.find("\"mine\""), std::string::npos);
    EXPECT_NE(text.find("kept too"), std::string::npos);
    EXPECT_EQ(documentFromJson(text, "new").session(), old.session());
}

TEST(SessionFormat, NewerOnesAreRefusedWithASentence) {
    std::string text = toJson(Document(test::shortSession()));
    const std::string now = "\"version\": " + std::to_string(Session::kVersion);
    text.replace(text.find(now), now.size(), "\"version\": 99");
    const std::string why = test::errorOf([&] { documentFromJson(text, "mix.json"); });
    EXPECT_NE(why.find("mix.json"), std::string::npos);
    EXPECT_NE(why.find("newer"), std::string::npos);
    std::string chain = test::readText(data("chain-v1.json"));
    EXPECT_FALSE(chainFromJson(chain, "old chain").empty());
    EXPECT_EQ(chainFromJson(test::readText(data("preset-v1.json")), "old preset").size(), 1U);
    chain.replace(chain.find("\"version\": 1"), 12, "\"version\": 99");
    EXPECT_NE(test::errorOf([&] { chainFromJson(chain, "chain"); }).find("newer"),
              std::string::npos);
}

TEST(SessionFormat, DeepBracketsAreRefusedWithASentence) {
    for (const char* bracket : {"[", "{\"a\":"}) {
        std::string deep = "{\"format\":\"ember-cask session\",\"version\":2,\"rows\":";
        for (int i = 0; i < 200000; ++i) deep += bracket;
        const std::string why = test::errorOf([&] { documentFromJson(deep, "deep.json"); });
        EXPECT_NE(why.find("deep.json"), std::string::npos);
        EXPECT_NE(why.find("nested"), std::string::npos) << why;
        EXPECT_NE(test::errorOf([&] { chainFromJson(deep, "deep.chain"); }), "");
    }
    // Brackets in a name are none.
    Session named = test::shortSession();
    named.rows.front().name = std::string(300, '[');
    EXPECT_NO_THROW(documentFromJson(toJson(Document(named)), "named"));
}

TEST(SessionFormat, AlignAndSeatAreNeverOff) {
    const Session s = test::shortSession();
    for (const char* stage : {"align", "seat"}) {
        EXPECT_NE(test::errorOf([&] { (void)withStageOn(s, "hat", stage, false); }).find("never"),
                  std::string::npos);
    }
    Session old = withValue(s, "hat", "align", "delay", 3.0);
    findStage(*findRow(old, "hat"), "align")->on = false;
    findStage(*findRow(old, "hat"), "seat")->on = false;
    const Document opened = documentFromJson(toJson(Document(old)), "old");
    const Row& hat = *findRow(opened.session(), "hat");
    EXPECT_TRUE(hat.chain.front().on && hat.chain.back().on);
    EXPECT_EQ(hat.chain.front().values, standardValues(processorType("align").table));
    ASSERT_EQ(opened.log().size(), 2U);
    EXPECT_NE(opened.log().front().what.text.find("was off"), std::string::npos);
}

TEST(SessionFormat, RowIdsAreFileNames) {
    Session s = test::shortSession();
    s.rows.front().id = "../../elsewhere";
    EXPECT_NE(validate(s).find("file name"), std::string::npos);
}

Row element(const Session& session, const std::string& name, Role role) {
    Row row;
    row.id = makeRowId(session, name);
    row.name = name;
    row.role = role;
    row.parent = "drum-bus";
    row.chain = makeChain(RowKind::element);
    row.sources = {{name + ".wav", "", 0, 0.0}};
    return row;
}

TEST(Drums, KeepTheirIdsWhenMicrophonesComeAndGo) {
    Session s = test::shortSession();
    ASSERT_EQ(findRow(s, "floor-tom")->drum, "floor-tom");
    // A new tom before the old ones.
    s.rows.insert(s.rows.begin(), element(s, "Tom 8", Role::rackTom));
    s.rows.insert(s.rows.begin(), element(s, "Crash", Role::crash));
    s.rows.insert(s.rows.begin(), element(s, "Second Crash", Role::crash));
    s = withDrums(std::move(s));
    EXPECT_EQ(findRow(s, "rack-tom")->drum, "rack-tom");
    EXPECT_EQ(findRow(s, "floor-tom")->drum, "floor-tom");
    EXPECT_EQ(findRow(s, "tom-8")->drum, "rack-tom-2");
    EXPECT_EQ(drumName(s, "rack-tom-2"), "Tom 8");
    EXPECT_EQ(findRow(s, "second-crash")->drum, "crash");
    EXPECT_EQ(findRow(s, "crash")->drum, "crash-2");
    // Gone and back again.
    Row floor = *findRow(s, "floor-tom");
    std::erase_if(s.rows, [](const Row& r) { return r.id == "floor-tom"; });
    s = withDrums(std::move(s));
    floor.drum.clear();
    s.rows.insert(s.rows.begin(), floor);
    s = withDrums(std::move(s));
    EXPECT_EQ(findRow(s, "floor-tom")->drum, "floor-tom");
    // Kinds count from high to low.
    EXPECT_EQ(drumKindIn(s, "floor-tom"), "tom-3");
    EXPECT_EQ(drumKindIn(s, "ride"), "cymbal");
    EXPECT_EQ(requireDrum(s, "floor tom"), "floor-tom");
    EXPECT_NE(test::errorOf([&] { (void)requireDrum(s, "gong"); }).find("Floor Tom"),
              std::string::npos);
}

TEST(Roles, AreSaidByAPersonAndMoveTheRow) {
    Session s = test::shortSession();
    Row& hat = *findRow(s, "hat");
    hat.role = Role::unknown;
    hat.who = {0.3, {"sound"}, {{Role::hat, 0.3}, {Role::ride, 0.2}}};
    hat.parent = "drum-bus";
    s = withDrums(std::move(s));
    EXPECT_TRUE(isUnsure(*findRow(s, "hat")));
    EXPECT_TRUE(findRow(s, "hat")->drum.empty());
    const Session before = s;
    s = withRole(std::move(s), "hat", Role::hat);
    EXPECT_FALSE(isUnsure(*findRow(s, "hat")));
    EXPECT_EQ(findRow(s, "hat")->drum, "hihat");
    EXPECT_EQ(findRow(s, "hat")->parent, "cymbal-bus");
    EXPECT_EQ(validate(s), "");
    EXPECT_NE(diff(before, s).sentences().front().find("role"), std::string::npos);
    s = withRole(std::move(s), "hat", Role::reference);
    EXPECT_EQ(findRow(s, "hat")->kind, RowKind::reference);
    EXPECT_EQ(validate(s), "");
    EXPECT_NE(test::errorOf([&] { (void)withRole(s, "drum-bus", Role::hat); }), "");
    EXPECT_EQ(findRow(withName(s, "ride", " Big Ride "), "ride")->name, "Big Ride");
    EXPECT_NE(test::errorOf([&] { (void)withName(s, "ride", "  "); }), "");
    EXPECT_EQ(validate(withBus(s, "ride", "main")), "");
    EXPECT_NE(test::errorOf([&] { (void)withBus(s, "drum-bus", "cymbal-bus"); }).find("itself"),
              std::string::npos);
}

TEST(Pairs, AreMadeAndPartedAndSoundTheSame) {
    Session s = test::shortSession();
    s = withValue(std::move(s), "overhead", "align", "right-polarity", 1.0);
    s = withValue(std::move(s), "overhead", "align", "right-delay", 0.5);
    s = withValue(std::move(s), "overhead", "align", "right-trim", -3.0);
    s = withOnlyRows(std::move(s), {"overhead", "main"});
    const AudioBuffer paired = renderMix(s, test::sharedStore(), {});
    Session parted = withParted(s, "overhead");
    EXPECT_EQ(validate(parted), "");
    EXPECT_EQ(findRow(parted, "overhead")->name, "Overhead L");
    ASSERT_NE(findRow(parted, "overhead-r"), nullptr);
    const AudioBuffer apart = renderMix(parted, test::sharedStore(), {});
    double most = 0.0, level = 0.0;
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < paired.channels[c].size(); ++i) {
            most = std::max(most, std::abs(static_cast<double>(paired.channels[c][i]) -
                                           static_cast<double>(apart.channels[c][i])));
            level = std::max(level, std::abs(static_cast<double>(paired.channels[c][i])));
        }
    }
    EXPECT_GT(level, 0.05);
    EXPECT_LT(most, 1e-5);
    // And back: the left one's chain survives, keys to the right one become keys to the pair.
    parted.rows.front().chain[1].key = "";
    Session again = withPaired(parted, "overhead", "overhead-r");
    EXPECT_EQ(again.rows.size(), s.rows.size());
    EXPECT_EQ(findRow(again, "overhead")->chain.front().values,
              findRow(s, "overhead")->chain.front().values);
    EXPECT_NE(test::errorOf([&] { (void)withPaired(again, "overhead", "overhead"); }), "");
    const Session turned = withSidesExchanged(withSidesExchanged(again, "overhead"), "overhead");
    EXPECT_EQ(findRow(turned, "overhead")->sources, findRow(again, "overhead")->sources);
    EXPECT_NEAR(findRow(turned, "overhead")->chain.front().values[5], 0.5, 1e-9);
}

// A left recording that is longer than its right one, and begins elsewhere.
TEST(Pairs, OfUnequalLengthAreHeard) {
    const test::TempFolder folder;
    const auto kick = [&](const char* name, double seconds, std::uint64_t seed) {
        auto x = test::noise(0.5, static_cast<std::size_t>(seconds * 48000.0), seed);
        for (std::size_t i = 0; i < x.size(); ++i)
            x[i] *= std::exp(-static_cast<float>(i % 24000) / 900.0F);
        test::writeMono(folder / name, x);
        return (folder / name).string();
    };
    Session s;
    Row pair = element(s, "Overhead", Role::overhead), snare = element(s, "Snare", Role::snare);
    pair.sources = {{kick("l.wav", 6.0, 1), "", 0, 0.0}, {kick("r.wav", 3.5, 2), "", 0, 0.75}};
    snare.sources = {{kick("s.wav", 5.0, 3), "", 0, -0.5}};
    pair.parent = snare.parent = "main";
    Row main = element(s, "Main", Role::unknown);
    main.id = "main";
    main.kind = RowKind::main;
    main.sources.clear();
    main.parent.clear();
    main.chain = makeChain(RowKind::main);
    s.rows = {pair, snare, main};
    s = withDrums(std::move(s));
    ASSERT_EQ(validate(s), "");
    const KitMics kit = kitMics(s, test::sharedStore());
    EXPECT_EQ(kit.mics[0].offset, 0);
    // Both sides are as long as the pair, silent where one has not begun or has ended.
    for (const auto& side : kit.mics[0].channels) EXPECT_EQ(side.size(), 6U * 48000U);
    EXPECT_EQ(kit.mics[0].channels[1][static_cast<std::size_t>(4.25 * 48000) + 1], 0.0F);
    EXPECT_NO_THROW(measureKit(s, test::sharedStore()));
}

TEST(SessionFormat, TheSecondFormatOpensAsTheFirstDid) {
    const Document first = documentFromJson(test::readText(data("session-v1.json")), "old"),
                   second = documentFromJson(test::readText(data("session-v2.json")), "newer");
    EXPECT_EQ(second.session(), first.session());
    // Eight bands were stored in full; the eight behind them are as in an untouched equaliser.
    for (const Row& row : second.session().rows) {
        const Stage* eq = findStage(row, "eq");
        for (int b = 8; eq != nullptr && b < kEqBands; ++b)
            EXPECT_FALSE(eqBandInUse(eq->values, b)) << row.id << " " << b;
    }
}

TEST(SessionFormat, TheThirdFormatsTempoAndBarLineBecomeTheSongsTime) {
    const std::string text = test::readText(data("session-v3.json"));
    const Session s = documentFromJson(text, "third").session();
    EXPECT_EQ(s.time, steadyTime(103.5, 1.25, 3));
    EXPECT_TRUE(s.extra.empty()) << "nothing of the old fields stays behind: " << s.extra;
    const std::string again = toJson(Document(s));
    EXPECT_EQ(again.find("beatsPerBar"), std::string::npos);
    EXPECT_EQ(documentFromJson(again, "fourth").session(), s);
    std::string wrong = text;
    wrong.replace(wrong.find("103.5"), 5, "1035.0");
    EXPECT_NE(test::errorOf([&] { documentFromJson(wrong, "wrong"); }).find("bpm"),
              std::string::npos);
}

TEST(SessionFormat, TheFourthFormatOpensUnchangedAndSendsNothing) {
    const Document fourth = documentFromJson(test::readText(data("session-v4.json")), "fourth");
    Session s = fourth.session();
    EXPECT_EQ(s.time, steadyTime(103.5, 1.25, 3));
    EXPECT_TRUE(requireRow(s, "kick-in").mute);
    for (const Row& row : s.rows) EXPECT_TRUE(row.sends.empty()) << row.id;
    EXPECT_TRUE(s.extra.empty());
    const std::string again = toJson(fourth);
    EXPECT_NE(again.find("\"version\": " + std::to_string(Session::kVersion)), std::string::npos);
    EXPECT_EQ(documentFromJson(again, "fifth").session(), s);
    // A send that cannot be is refused with its place.
    const auto wrong = [&](const std::string& send) {
        std::string text = again;
        const auto at = text.find("\"mute\"");
        text.insert(at, "\"sends\": [" + send + "], ");
        return test::errorOf([&] { documentFromJson(text, "wrong"); });
    };
    EXPECT_NE(wrong(R"({"to": "drum-bus"})").find("already"), std::string::npos);
    EXPECT_NE(wrong(R"({"to": "main", "level": 40})").find("sends"), std::string::npos);
    EXPECT_NE(wrong(R"({"to": "main", "from": "anywhere"})").find("before-fader"),
              std::string::npos);
    EXPECT_NE(wrong(R"({"level": 0})").find("to"), std::string::npos);
}

TEST(SessionFormat, TheFifthFormatOpensUnchangedAndHasNoLayers) {
    const Document fifth = documentFromJson(test::readText(data("session-v5.json")), "fifth");
    const Session& s = fifth.session();
    ASSERT_EQ(findRow(s, "snare-top")->sends.size(), 1U);
    EXPECT_EQ(findRow(s, "snare-top")->sends[0].levelDb, -6.0);
    for (const Row& row : s.rows) EXPECT_TRUE(row.layers.empty() && row.extra.empty()) << row.id;
    EXPECT_TRUE(s.extra.empty() && s.pattern.get().notes.empty() && s.keys.empty());
    EXPECT_EQ(documentFromJson(toJson(fifth), "sixth").session(), s);
}

TEST(SessionFormat, TheSixthFormatOpensUnchangedAndTurnsNoDrum) {
    const Document sixth = documentFromJson(test::readText(data("session-v6.json")), "sixth");
    const Session& s = sixth.session();
    for (const Row& row : s.rows) {
        EXPECT_TRUE(row.extra.empty()) << row.id;
        for (const Stage& stage : row.chain)
            EXPECT_TRUE(stage.drums.empty() && stage.data.empty() && stage.extra.empty()) << row.id;
    }
    EXPECT_EQ(documentFromJson(toJson(sixth), "seventh").session(), s);
    // What the seventh has beside comes back; out of range it is refused with its place.
    Session turned = withBleed(s, "snare-top", std::string(32, 'c'));
    turned = withDrumGain(std::move(turned), "snare-top", "rest", -24.0);
    const std::string text = toJson(Document(turned));
    EXPECT_EQ(documentFromJson(text, "turned").session(), turned);
    std::string wrong = text;
    wrong.replace(wrong.find("-24.0"), 5, "-99.0");
    EXPECT_NE(test::errorOf([&] { documentFromJson(wrong, "wrong"); }).find("drums.rest"),
              std::string::npos);
}

TEST(SessionFormat, WordsAndWaysOfWorkingComeBack) {
    Session s = withWord(test::shortSession(), "hat", "eq", "b12.name", "the edge");
    s = withWord(std::move(s), "hat", "eq", "b12.why", "It cuts through.");
    s = withValue(std::move(s), "hat", "eq", "b12.on", 1.0);
    s = withWay(std::move(s), "dynamics", "pair");
    const std::string text = toJson(Document(s));
    EXPECT_EQ(documentFromJson(text, "mix").session(), s);
    EXPECT_NE(text.find("\"b12.gain\""), std::string::npos);
    // Bands that nobody touched are not spelt out.
    EXPECT_EQ(text.find("\"b13.gain\""), std::string::npos);
    EXPECT_EQ(eqBandName(*findStage(*findRow(s, "hat"), "eq"), 11), "the edge");
    s = withWord(std::move(s), "hat", "eq", "b12.name", "");
    EXPECT_EQ(eqBandName(*findStage(*findRow(s, "hat"), "eq"), 11), "boxiness") << "by its place";
    s = withoutEqBand(std::move(s), "hat", "eq", 11);
    EXPECT_TRUE(findStage(*findRow(s, "hat"), "eq")->words.empty());
    EXPECT_FALSE(eqBandInUse(findStage(*findRow(s, "hat"), "eq")->values, 11));
    // Wrong ones are refused with what there is.
    EXPECT_NE(test::errorOf([&] { withWord(s, "hat", "eq", "b99.name", "x"); }), "");
    EXPECT_NE(test::errorOf([&] { withWord(s, "hat", "gate", "b1.name", "x"); }), "");
    EXPECT_NE(test::errorOf([&] { withWord(s, "hat", "eq", "b1.name", std::string(500, 'x')); }),
              "");
    EXPECT_NE(test::errorOf([&] { withWay(s, "dynamics", "loud"); }).find("density"),
              std::string::npos);
    EXPECT_NE(test::errorOf([&] { withWay(s, "lunch", "late"); }).find("colour"),
              std::string::npos);
}

}  // namespace
}  // namespace ember
