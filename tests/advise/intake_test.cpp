#include "core/advise/intake.h"

#include "core/base/error.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/session/layers.h"
#include "core/session/routing.h"
#include "tests/support/support.h"

#include <cmath>
#include <fstream>
#include <limits>

namespace ember {
namespace {

namespace fs = std::filesystem;
using test::TempFolder;

const IntakeEntry& entry(const Intake& intake, const std::string& name) {
    // By what the file is called, else by the name that is offered.
    for (const IntakeEntry& e : intake.entries) {
        if (e.fileName == name) return e;
    }
    for (const IntakeEntry& e : intake.entries) {
        if (e.name == name) return e;
    }
    throw Error("no entry " + name);
}

bool says(const IntakeEntry& e, const std::string& words) {
    for (const std::string& remark : e.remarks) {
        if (remark.find(words) != std::string::npos) return true;
    }
    return false;
}

TEST(Intake, BuildsTheUsualGroupsFromTheDemoKit) {
    const Session& s = test::shortSession();
    EXPECT_EQ(validate(s), "");
    const std::vector<std::pair<const char*, const char*>> routes{{"kick-in", "kick-bus"},
                                                                  {"kick-out", "kick-bus"},
                                                                  {"kick-bus", "drum-bus"},
                                                                  {"snare-top", "snare-bus"},
                                                                  {"snare-bottom", "snare-bus"},
                                                                  {"rack-tom", "tom-bus"},
                                                                  {"floor-tom", "tom-bus"},
                                                                  {"hat", "cymbal-bus"},
                                                                  {"ride", "cymbal-bus"},
                                                                  {"overhead", "cymbal-bus"},
                                                                  {"room", "drum-bus"},
                                                                  {"drum-bus", "main"},
                                                                  {"bass", "main"},
                                                                  {"reference", ""}};
    for (const auto& [row, parent] : routes) {
        ASSERT_NE(findRow(s, row), nullptr) << row;
        EXPECT_EQ(findRow(s, row)->parent, parent) << row;
    }
    EXPECT_EQ(findRow(s, "overhead")->sources.size(), 2U)
        << "two mono files became one stereo element";
    EXPECT_EQ(findRow(s, "room")->sources.size(), 2U);
    EXPECT_EQ(findRow(s, "bass")->kind, RowKind::guest);
    EXPECT_EQ(findRow(s, "reference")->kind, RowKind::reference);
    EXPECT_EQ(s.rows.back().kind, RowKind::main);
    EXPECT_EQ(tempoHere(s), 104.0);
}

TEST(Intake, LeavesHeadroom) {
    const AudioBuffer mix = renderMix(test::shortSession(), test::sharedStore(), {});
    for (const auto& channel : mix.channels) EXPECT_LE(test::peakDb(channel), -6.0);
}

TEST(Intake, TakesTheGoodFilesAndNamesTheBadOnes) {
    const TempFolder folder;
    test::writeMono(folder / "Kick.wav", test::noise(0.5, 48000, 1));
    test::writeMono(folder / "Snare — ünusual ‘name’ #2 (take 1).wav", test::noise(0.5, 48000, 2));
    test::writeText(folder / "text.wav", "no audio in here");
    test::writeText(folder / "torn.wav", std::string("RIFF\x24\x00\x00\x00WAVEfmt ", 16));
    AudioWriter(folder / "empty.wav", 1, 48000, SampleDepth::pcm16).finish();
    const Intake intake = takeIn({folder.path()}, test::sharedStore(), 120.0);
    EXPECT_EQ(intake.entries.size(), 2U);
    ASSERT_EQ(intake.refused.size(), 3U);
    for (const std::string& sentence : intake.refused) {
        EXPECT_EQ(sentence.back(), '.') << sentence;
        EXPECT_TRUE(sentence.find("text.wav") != std::string::npos ||
                    sentence.find("torn.wav") != std::string::npos ||
                    sentence.find("empty.wav") != std::string::npos)
            << sentence;
    }
    EXPECT_EQ(validate(sessionFrom(intake, test::sharedStore())), "");
}

TEST(Intake, ManagesOddRatesDepthsAndChannels) {
    const TempFolder folder;
    test::writeMono(folder / "Kick.wav", test::noise(0.5, 48000, 1));
    test::writeMono(folder / "Snare.wav", test::noise(0.5, 192000, 2), 192000.0);
    std::string eight = test::readText(folder / "Kick.wav");
    {
        // 8 kHz, 8 bit, by hand: libsndfile would rather not.
        std::string wav(
            "RIFF\x64\x1f\x00\x00WAVEfmt "
            "\x10\x00\x00\x00\x01\x00\x01\x00\x40\x1f\x00\x00\x40\x1f\x00\x00\x01\x00\x08\x00"
            "data\x40\x1f\x00\x00",
            44);
        for (int i = 0; i < 8000; ++i) {
            const double level = 128.0 + 60.0 * std::sin(0.05 * i);
            wav += static_cast<char>(static_cast<unsigned char>(level));
        }
        test::writeText(folder / "Hat.wav", wav);
    }
    AudioBuffer seven{48000.0, {}};
    for (std::uint64_t c = 0; c < 7; ++c) seven.channels.push_back(test::noise(0.2, 24000, c + 10));
    writeAudio(folder / "Kit all.wav", seven, SampleDepth::pcm24);
    const Intake intake = takeIn({folder.path()}, test::sharedStore(), 120.0);
    EXPECT_TRUE(intake.refused.empty());
    EXPECT_EQ(intake.entries.size(), 10U);
    EXPECT_TRUE(says(entry(intake, "Kit all 1"), "7 channels"));
    const Session s = sessionFrom(intake, test::sharedStore());
    EXPECT_EQ(s.sampleRate, 48000);
    const AudioBuffer mix = renderMix(s, test::sharedStore(), {});
    EXPECT_NEAR(static_cast<double>(mix.frames()), 48000.0, 2.0);
}

TEST(Intake, SaysWhatIsUnusual) {
    const TempFolder folder;
    auto clipped = test::noise(0.4, 48000, 1);
    for (std::size_t i = 500; i < 512; ++i) clipped[i] = 1.0F;
    test::writeMono(folder / "Kick.wav", clipped);
    test::writeMono(folder / "Silent tom.wav", std::vector<float>(48000, 0.0F));
    test::writeMono(folder / "Low snare.wav", test::noise(0.01, 48000, 3));
    auto bad = test::noise(0.3, 48000, 4);
    bad[77] = std::numeric_limits<float>::quiet_NaN();
    test::writeMono(folder / "Ride.wav", bad);
    const auto side = test::noise(0.3, 48000, 5);
    std::vector<float> flipped;
    for (const float x : side) flipped.push_back(-x);
    test::writeMono(folder / "OH L.wav", side);
    test::writeMono(folder / "OH R.wav", flipped);
    // Written anew it would carry another time of writing.
    std::filesystem::copy_file(folder / "Kick.wav", folder / "Kick copy.wav");
    const Intake intake = takeIn({folder.path()}, test::sharedStore(), 120.0);
    EXPECT_TRUE(says(entry(intake, "Kick"), "Clipped"));
    EXPECT_TRUE(says(entry(intake, "Silent tom"), "Silent"));
    EXPECT_TRUE(says(entry(intake, "Low snare"), "Low"));
    EXPECT_TRUE(says(entry(intake, "Ride"), "no numbers"));
    EXPECT_TRUE(says(entry(intake, "Overhead"), "opposite polarity"));
    EXPECT_TRUE(says(entry(intake, "Kick copy"), "same audio") ||
                says(entry(intake, "Kick"), "same audio"));
}

TEST(Intake, ExplainsAFolderWithNothingUsable) {
    const TempFolder folder;
    test::writeText(folder / "notes.txt", "bring cables");
    const std::string sentence =
        test::errorOf([&] { takeIn({folder.path()}, test::sharedStore()); });
    EXPECT_NE(sentence.find("no usable audio"), std::string::npos) << sentence;
    EXPECT_NE(test::errorOf([&] {
                  takeIn({"/nowhere/at/all.wav"}, test::sharedStore());
              }).find("all.wav"),
              std::string::npos);
    EXPECT_NE(
        test::errorOf([&] { takeIn({folder.path()}, test::sharedStore(), 1e9); }).find("20 to 400"),
        std::string::npos);
}

TEST(Intake, CanBeCancelled) {
    EXPECT_THROW(takeIn({test::shortRecordingFolder()}, test::sharedStore(), {},
                        [](double share, const std::string&) { return share < 0.3; }),
                 Cancelled);
}

TEST(Intake, FindsFilesInTheirNaturalOrderAndOnce) {
    const TempFolder folder;
    for (const char* name : {"tom 10.wav", "tom 2.wav", "tom 1.wav"})
        test::writeMono(folder / name, test::noise(0.1, 100));
    const auto files = findAudio({folder.path(), folder / "tom 2.wav"});
    ASSERT_EQ(files.size(), 3U);
    EXPECT_EQ(files[1].filename(), "tom 2.wav");
    EXPECT_EQ(files[2].filename(), "tom 10.wav");
}

TEST(Intake, WorksWithASingleStereoFile) {
    const TempFolder folder;
    writeAudio(folder / "drums.wav",
               {44100.0, {test::noise(0.3, 44100, 1), test::noise(0.3, 44100, 2)}},
               SampleDepth::pcm24);
    const Session s = sessionFrom(takeIn({folder / "drums.wav"}, test::sharedStore(), 120.0),
                                  test::sharedStore());
    EXPECT_EQ(s.sampleRate, 44100);
    EXPECT_EQ(validate(s), "");
    EXPECT_EQ(findRow(s, "drums")->role, Role::kit);
}

// A kit of two microphones that a recorder stamped at noon, with its session.
struct Noon {
    TempFolder folder;
    Session session;
    static constexpr Frames kNoon = 12LL * 3600 * 48000;

    void write(const char* name, Frames at, std::uint64_t seed, double seconds = 2.0) const {
        AudioWriter file(folder / name, 1, 48000, SampleDepth::pcm24, at);
        const auto samples = test::noise(0.4, static_cast<Frames>(seconds * 48000.0), seed);
        file.write(samples);
        file.finish();
    }
    Noon() {
        write("Kick.wav", kNoon, 1);
        write("Snare.wav", kNoon + 480, 2);
        session =
            sessionFrom(takeIn({folder.path()}, test::sharedStore(), 90.0), test::sharedStore());
    }
    [[nodiscard]] Intake taken(const char* name) const {
        return takeInto(session, {folder / name}, test::sharedStore());
    }
};

TEST(IntakeInto, KeepsEverythingThatWasThere) {
    const Noon noon;
    noon.write("Bass.wav", Noon::kNoon + 24000, 3);
    const Intake more = noon.taken("Bass.wav");
    EXPECT_EQ(more.tempo, 90.0) << "the song has its tempo";
    ASSERT_EQ(more.entries.size(), 1U);
    EXPECT_EQ(more.entries[0].kind, RowKind::guest);
    const Session next = withTakenIn(noon.session, more);
    ASSERT_EQ(next.rows.size(), noon.session.rows.size() + 1);
    const Row* bass = findRow(next, "bass");
    ASSERT_NE(bass, nullptr);
    EXPECT_EQ(bass->parent, "main");
    EXPECT_DOUBLE_EQ(bass->sources[0].offset, 0.5) << "by its time stamp, half a second in";
    EXPECT_EQ(withRowRemoved(next, "bass"), noon.session);
}

TEST(IntakeInto, MicrophonesStandWithTheirGroupWhereverThatWasTaken) {
    const Noon noon;
    noon.write("Kick out.wav", Noon::kNoon, 3);
    noon.write("Room.wav", Noon::kNoon, 4);
    Session moved = withBusAdded(noon.session, "Lows");
    moved = withBus(std::move(moved), "kick", "lows");
    const Session next =
        withTakenIn(moved, takeInto(moved, {noon.folder / "Kick out.wav", noon.folder / "Room.wav"},
                                    test::sharedStore()));
    EXPECT_EQ(findRow(next, "kick-out")->parent, "lows");
    EXPECT_EQ(findRow(next, "kick-out")->drum, "kick") << "one drum, two microphones";
    EXPECT_EQ(findRow(next, "room")->parent, "drum-bus");
    EXPECT_EQ(validate(next), "");
}

TEST(IntakeInto, SaysWhatIsThereAlreadyAndWhatABadStampIs) {
    const Noon noon;
    noon.write("Tambourine.wav", Noon::kNoon + 3600LL * 48000, 5);
    Intake more = noon.taken("Tambourine.wav");
    EXPECT_TRUE(says(more.entries[0], "outside the song"));
    EXPECT_EQ(more.entries[0].sources[0].offset, 0.0);
    more = noon.taken("Snare.wav");
    EXPECT_TRUE(says(more.entries[0], "Already here, as “Snare”"));
    EXPECT_EQ(more.entries[0].name, "Snare 2");
    EXPECT_NE(test::errorOf([&] { (void)withTakenIn(noon.session, {}); }).find("nothing to add"),
              std::string::npos);
}

TEST(IntakeInto, ConvertsToTheRateOfTheSong) {
    const Noon noon;
    test::writeMono(noon.folder / "Shaker.wav", test::noise(0.3, 44100, 6), 44100.0);
    const Intake more = noon.taken("Shaker.wav");
    EXPECT_EQ(more.sampleRate, 48000);
    EXPECT_NEAR(more.entries[0].seconds, 1.0, 1e-3);
}

}  // namespace
}  // namespace ember
