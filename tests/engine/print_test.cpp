// Frozen rows: the same samples as live, for as long as they would be.
#include "core/base/units.h"
#include "core/dsp/seat.h"
#include "core/engine/print_row.h"
#include "core/engine/render.h"
#include "core/session/file.h"
#include "core/session/layers.h"
#include "core/session/recipe.h"
#include "core/session/routing.h"
#include "demo/mix.h"
#include "tests/engine/live.h"
#include "tests/support/support.h"

#include <fstream>

namespace ember {
namespace {

namespace fs = std::filesystem;
using test::TempFolder;

// The demo kit with chains in use; a reverb on its bus, a row keyed by another, sends to a
// parallel.
Session busyKit() {
    Session s = demo::demoMix(test::shortSession());
    s = withStageAdded(std::move(s), "drum-bus", "reverb");
    s = withStageOn(std::move(s), "drum-bus", "reverb", true);
    s = withValue(std::move(s), "drum-bus", "reverb", "mix", 20.0);
    // What moves by itself begins elsewhere once the bus is less late.
    s = withValue(std::move(s), "drum-bus", "reverb", "modulation", 0.0);
    s = withStageAdded(std::move(s), "bass", "compressor");
    s = withValue(std::move(s), "bass", "compressor", "threshold", -40.0);
    s = withKey(std::move(s), "bass", "compressor", "kick-in");
    s = withBusAdded(std::move(s), "crush");
    Send before;
    before.to = "crush";
    before.before = true;
    s = withSend(std::move(s), "snare-top", before);
    s = withStageAdded(std::move(s), "crush", "saturation");
    // What matches levels by itself does so elsewhere too.
    s = withValue(std::move(s), "crush", "saturation", "match-level", 0.0);
    return withValue(std::move(s), "crush", "saturation", "drive", 12.0);
}

Session frozen(const Session& session, const std::string& row, const TempFolder& folder) {
    return withPrint(session, row,
                     printRow(session, test::sharedStore(), row, folder.path(), 1'700'000'000));
}

AudioBuffer wholeMix(const Session& session, int block = 4096, int threads = 2) {
    RenderOptions options;
    options.block = block;
    options.threads = threads;
    options.withGuests = true;
    return renderMix(session, test::sharedStore(), options);
}

double farthest(const AudioBuffer& a, const AudioBuffer& b) {
    return std::max(test::largestDifference(a.channels[0], b.channels[0]),
                    test::largestDifference(a.channels[1], b.channels[1]));
}

class Prints : public ::testing::TestWithParam<const char*> {};

TEST_P(Prints, PlayTheSameSamplesAsLive) {
    const TempFolder folder;
    const Session live = busyKit(), cold = frozen(live, GetParam(), folder);
    ASSERT_TRUE(playsPrint(cold, *findRow(cold, GetParam())));
    const AudioBuffer wanted = wholeMix(live);
    EXPECT_LT(dbFromGain(farthest(wholeMix(cold), wanted)), -140.0);
    EXPECT_LT(dbFromGain(farthest(wholeMix(cold, 100, 1), wanted)), -140.0);
    // At its fader, and sent: these stay its own.
    const auto moved = [&](Session s) {
        s = withValue(std::move(s), GetParam(), "seat", "level", -9.0);
        s = withValue(std::move(s), GetParam(), "seat", "pan", 30.0);
        Send send;
        send.to = findRow(s, GetParam())->parent == "main" ? "crush" : "main";
        send.levelDb = -20.0;
        return std::string_view(GetParam()) == "crush" ? s
                                                       : withSend(std::move(s), GetParam(), send);
    };
    ASSERT_TRUE(playsPrint(moved(cold), *findRow(moved(cold), GetParam())));
    EXPECT_LT(dbFromGain(farthest(wholeMix(moved(cold)), wholeMix(moved(live)))), -140.0);
}

INSTANTIATE_TEST_SUITE_P(Rows, Prints,
                         ::testing::Values("kick-in", "snare-top", "overhead", "bass", "crush",
                                           "drum-bus"),
                         [](const auto& param) {
                             std::string name = param.param;
                             std::erase(name, '-');
                             return name;
                         });

TEST(Print, SparesAFrozenRowItsChainAndAFrozenBusItsMembers) {
    const TempFolder folder;
    const Session live = busyKit(), cold = frozen(live, "drum-bus", folder);
    PlanOptions rest;
    rest.rest = true;
    const auto plan = compile(cold, test::sharedStore(), rest);
    float hat = 0.0F, bus = 0.0F, crush = 0.0F;
    const auto peakOf = [&](const char* row) {
        float peak = 0.0F;
        for (int i = 0; i < kBlock; ++i)
            peak = std::max(peak, std::abs(plan->output(plan->rowIndex(row), 0)[i]));
        return peak;
    };
    for (Frames at = 0; at < 96000; at += kBlock) {
        const BlockPlay play{BlockPlay::Mode::play, at, 0};
        plan->run({&play, 1});
        hat = std::max(hat, peakOf("hat"));
        bus = std::max(bus, peakOf("drum-bus"));
        crush = std::max(crush, peakOf("crush"));
    }
    EXPECT_EQ(hat, 0.0F) << "nobody hears it";
    EXPECT_GT(bus, 0.01F);
    EXPECT_GT(crush, 0.001F) << "what a frozen bus's member is sent to beside runs on";
    const auto gives = [&](const char* row) { return plan->gives(plan->rowIndex(row)); };
    EXPECT_EQ(gives("kick-in"), Plan::Gives::nothing)
        << "the bass listens to its recording, not to its chain";
    EXPECT_EQ(gives("snare-top"), Plan::Gives::live);
    EXPECT_EQ(gives("drum-bus"), Plan::Gives::print);
    EXPECT_LT(plan->latency(plan->rowIndex("drum-bus")),
              compile(live, test::sharedStore())->latency() + 1);
    EXPECT_EQ(plan->latency(plan->rowIndex("drum-bus")), 0);
}

TEST(Print, IsPassedByOnceTheSoundWouldBeAnotherAndServesAgain) {
    const TempFolder folder;
    const Session live = busyKit(), cold = frozen(live, "drum-bus", folder);
    const auto plays = [](const Session& s) { return playsPrint(s, *findRow(s, "drum-bus")); };
    const Session edited = withValue(cold, "snare-top", "seat", "level", -20.0);
    EXPECT_FALSE(plays(edited)) << "a member at another level";
    EXPECT_TRUE(diff(cold, edited).structural);
    EXPECT_LT(dbFromGain(farthest(wholeMix(edited),
                                  wholeMix(withValue(live, "snare-top", "seat", "level", -20.0)))),
              -140.0);
    const double was = findStage(*findRow(cold, "snare-top"), "seat")->values[Seat::level];
    EXPECT_TRUE(plays(withValue(edited, "snare-top", "seat", "level", was)));
    Session muted = cold;
    requireRow(muted, "hat").mute = true;
    EXPECT_FALSE(plays(muted));
    // One member alone is heard alone.
    Session alone = cold, aloneLive = live;
    requireRow(alone, "hat").solo = requireRow(aloneLive, "hat").solo = true;
    EXPECT_FALSE(plays(alone));
    EXPECT_TRUE(diff(cold, alone).structural);
    EXPECT_LT(dbFromGain(farthest(wholeMix(alone), wholeMix(aloneLive))), -140.0);
    // What does not matter to it: names, faders behind it, what is soloed beside it.
    Session renamed = withName(cold, "hat", "High Hat");
    renamed = withValue(std::move(renamed), "main", "seat", "level", -3.0);
    requireRow(renamed, "bass").solo = true;
    EXPECT_TRUE(plays(renamed));
}

TEST(Print, KnowsEverythingASoundIsMadeOf) {
    const Session s = busyKit();
    const auto changes = [&](const char* row, const Session& other) {
        return recipeOf(s, row) != recipeOf(other, row);
    };
    EXPECT_TRUE(changes("snare-top", withValue(s, "snare-top", "eq", "b1.gain", 3.0)));
    EXPECT_TRUE(changes("snare-top", withStageOn(s, "snare-top", "gate", false)) ||
                !findStage(*findRow(s, "snare-top"), "gate")->on);
    EXPECT_FALSE(changes("snare-top", withValue(s, "snare-top", "seat", "pan", 50.0)));
    EXPECT_TRUE(changes("drum-bus", withValue(s, "snare-top", "seat", "pan", 50.0)));
    EXPECT_TRUE(changes("bass", withValue(s, "kick-in", "align", "delay", 1.0))) << "its key";
    EXPECT_TRUE(changes("crush", withValue(s, "snare-top", "eq", "b1.gain", 3.0))) << "sent to it";
    EXPECT_FALSE(changes("kick-in", withValue(s, "snare-top", "eq", "b1.gain", 3.0)));
    Session faster = s;
    faster.time = steadyTime(150.0);
    EXPECT_FALSE(changes("kick-in", faster)) << "nothing of it goes by the beat";
    Session other = s;
    other.sampleRate = 96000;
    EXPECT_TRUE(changes("hat", other));
    other = s;
    requireRow(other, "hat").sources[0].hash = std::string(32, '0');
    EXPECT_TRUE(changes("hat", other));
    // Strokes matter where something goes by them.
    Session struck = s;
    Stroke stroke;
    stroke.drum = "snare";
    stroke.time = 1.0;
    struck.strokes = Shared(std::vector<Stroke>{stroke});
    EXPECT_FALSE(changes("bass", struck));
    Session more = s;
    Row beside = *findRow(s, "hat");
    beside.id = "another";
    more.rows.insert(more.rows.begin(), beside);
    EXPECT_FALSE(changes("snare-top", more)) << "a row beside it";
    Session gated = withValue(s, "snare-top", "gate", "key-source", 1.0);
    ASSERT_TRUE(playsStrokes(*findStage(*findRow(gated, "snare-top"), "gate")));
    Session gatedStruck = gated;
    gatedStruck.strokes = struck.strokes;
    EXPECT_NE(recipeOf(gated, "snare-top"), recipeOf(gatedStruck, "snare-top"));
}

TEST(Print, ThatIsGoneOrWasChangedIsSaidAndTheRowPlaysLive) {
    const TempFolder folder;
    const Session live = busyKit(), cold = frozen(live, "hat", folder);
    const fs::path file = findRow(cold, "hat")->frozen->audio[0].file;
    EXPECT_TRUE(compile(cold, test::sharedStore())->problems().empty());
    test::writeMono(file, std::vector<float>(1000, 0.1F));
    auto plan = compile(cold, test::sharedStore());
    ASSERT_EQ(plan->problems().size(), 1U);
    EXPECT_NE(plan->problems()[0].find("print it anew"), std::string::npos);
    EXPECT_LT(dbFromGain(farthest(wholeMix(cold), wholeMix(live))), -140.0);
    fs::remove(file);
    EXPECT_EQ(compile(cold, test::sharedStore())->problems().size(), 1U);
    EXPECT_THROW(withPrint(live, "main", *findRow(cold, "hat")->frozen), Error);
    EXPECT_THROW(withPrint(live, "overhead", *findRow(cold, "hat")->frozen), Error)
        << "it has one channel";
}

TEST(Print, HoldsTheTailAndLeavesNothingWhenItIsCancelled) {
    const TempFolder folder;
    std::vector<float> click(48000, 0.0F);
    click[40000] = 0.9F;
    test::writeMono(folder / "click.wav", click);
    Session s = withStageAdded(test::oneElement(folder / "click.wav"), "one", "reverb");
    s = withStageOn(std::move(s), "one", "reverb", true);
    s = withValue(std::move(s), "one", "reverb", "decay", 1000.0);
    const TempFolder prints;
    const Print print = printRow(s, test::sharedStore(), "one", prints.path(), 5);
    const AudioBuffer audio = readAudio(print.audio.at(0).file);
    EXPECT_GT(audio.frames(), 48000U + 24000U);
    EXPECT_LT(test::peakDb(audio.channels[0], audio.frames() - 12000), -115.0);
    EXPECT_EQ(print.time, 5);
    EXPECT_EQ(std::distance(fs::directory_iterator(prints.path()), {}), 1);
    // The same once more is the same file.
    EXPECT_EQ(printRow(s, test::sharedStore(), "one", prints.path(), 6).audio[0].file,
              print.audio[0].file);
    const TempFolder none;
    EXPECT_THROW(
        printRow(s, test::sharedStore(), "one", none / "prints", 5,
                 [](double, const std::string& what) { return !what.starts_with("Printing"); }),
        Cancelled);
    EXPECT_TRUE(fs::is_empty(none.path())) << "not even the folder";
}

TEST(Print, IsOldOnceNoStepNeedsIt) {
    const TempFolder folder;
    const fs::path file = folder / "S.cask", prints = printFolder(file);
    EXPECT_TRUE(oldPrints(Document(busyKit()), file).empty()) << "there is no folder yet";
    const auto printed = [&](const Session& s) {
        return withPrint(s, "hat", printRow(s, test::sharedStore(), "hat", prints, 1));
    };
    const Session first = printed(withValue(busyKit(), "hat", "align", "trim", 1.0)),
                  second = printed(withValue(first, "hat", "align", "trim", 2.0));
    const fs::path old = findRow(first, "hat")->frozen->audio[0].file;
    ASSERT_NE(old, findRow(second, "hat")->frozen->audio[0].file);
    Document document(first);
    document.edit(second);
    EXPECT_TRUE(oldPrints(document, file).empty()) << "undo goes back to it";
    document.undo();
    EXPECT_TRUE(oldPrints(document, file).empty()) << "and forth";
    const auto relative = [&](const Session& s) { return Document(withRelativePaths(s, file)); };
    EXPECT_EQ(oldPrints(Document(second), file), std::vector{old}) << "in another program, later";
    saveDocument(file, relative(first));
    saveDocument(file, relative(second));
    EXPECT_TRUE(oldPrints(Document(second), file).empty()) << "the save before plays it";
    saveDocument(file, relative(second));
    EXPECT_EQ(oldPrints(Document(second), file), std::vector{old});
    saveDocument(folder / "other.cask", relative(first));
    EXPECT_TRUE(oldPrints(Document(second), file).empty()) << "another session plays it";
}

TEST(Print, ComesAndGoesWhilePlayingWithoutAClick) {
    const TempFolder folder;
    const Session live = busyKit(), cold = frozen(live, "drum-bus", folder);
    test::Live edited(live), left(live);
    edited.playFrom(1.0, 24000);
    left.playFrom(1.0, 24000);
    for (int n = 0; n < 4; ++n) {
        PlanOptions rest;
        rest.rest = true;
        edited.engine.setPlan(compile(n % 2 == 0 ? cold : live, test::sharedStore(), rest),
                              test::kLiveRate);
        const auto a = edited.take(24000), b = left.take(24000);
        // Latencies differ, so what is heard moves in the song for the length of the fade; no
        // sample of it stands out.
        EXPECT_LT(test::peakDb(a), test::peakDb(b) + 3.0);
        EXPECT_LT(test::peakAboveDb(a, 16000.0, test::kLiveRate),
                  test::peakAboveDb(b, 16000.0, test::kLiveRate) + 3.0)
            << n;
    }
}

}  // namespace
}  // namespace ember
