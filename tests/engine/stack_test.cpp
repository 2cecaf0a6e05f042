// Rows that play layers: to the sample, by their rules, wherever playback starts.

#include "core/engine/stack.h"

#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/measure/kit/kit_measure.h"
#include "core/measure/strokes/kinds.h"
#include "core/session/layers.h"
#include "tests/engine/stacked.h"
#include "tests/support/allocation_guard.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using test::burst;
using test::Stacked;
using test::stackOf;
using test::strokeAt;
using test::TempFolder;

constexpr double kRate = 48000.0;

TEST(Stack, EveryStrokeStartsEveryLayerToTheSample) {
    const std::vector<float> a = burst(2000), b = burst(3000, 9);
    Stacked s({a, b}, {strokeAt(0.25), strokeAt(1.1)});
    s.set("sound1", "offset", -2.0);
    std::vector<float> wanted(96000, 0.0F);
    for (const std::size_t at : {std::size_t{12000}, std::size_t{52800}}) {
        for (std::size_t i = 0; i < a.size(); ++i) wanted[at + i] += a[i];
        for (std::size_t i = 0; i < b.size(); ++i) wanted[at - 96 + i] += b[i];
    }
    const std::vector<float> got = s.rendered();
    ASSERT_EQ(got.size(), wanted.size());
    for (std::size_t i = 0; i < got.size(); ++i) ASSERT_NEAR(got[i], wanted[i], 2e-7) << i;
}

TEST(Stack, SoundsTheSameInAnyBlockThreadAndPlace) {
    Stacked s({burst(30000), burst(9000, 5)}, {});
    std::vector<Stroke> strokes;
    for (int i = 0; i < 30; ++i) strokes.push_back(strokeAt(0.03 + 0.061 * i, 0.4 + 0.02 * i));
    s.session.strokes = Shared(strokes);
    s.set("sound1", "pan", 60.0);
    s.session = withValue(s.session, "stack", "align", "delay", 0.317);  // between samples
    s.soften();
    const std::vector<float> once = s.rendered();
    for (const auto& [block, threads] : {std::pair{1, 1}, {17, 2}, {480, 1}, {64, 2}})
        EXPECT_EQ(s.rendered(block, threads), once) << block;
    // In the middle of sounds, live.
    test::Live live(s.session);
    const std::vector<float> heard = live.playFrom(0.8, 24000);
    for (std::size_t i = kBlock; i < heard.size(); ++i)
        ASSERT_NEAR(heard[i], once[test::frameAt(0.8) + i], 1e-7) << i;
}

TEST(Stack, GoesRoundALoopAsARecordingDoes) {
    Stacked s({burst(20000)}, {strokeAt(0.2), strokeAt(0.9)});
    s.soften();
    const std::vector<float> once = s.rendered();
    test::Live live(s.session);
    live.engine.setLoop(true, 9600, 9600 + 48000);
    live.playFrom(0.2, 48000);
    const std::vector<float> again = live.take(24000);
    for (std::size_t i = kBlock; i < again.size(); ++i)
        ASSERT_NEAR(again[i], once[9600 + i], 1e-6) << i;
}

TEST(Stack, FollowsTheStrokeOrLiesFlat) {
    Stacked s({burst(1000)}, {strokeAt(0.5, 0.9), strokeAt(1.0, 0.45)});
    const auto peakFrom = [](const std::vector<float>& x, std::size_t at) {
        return test::peakDb({x.begin() + static_cast<std::ptrdiff_t>(at),
                             x.begin() + static_cast<std::ptrdiff_t>(at + 1000)});
    };
    std::vector<float> x = s.rendered();
    EXPECT_NEAR(peakFrom(x, 24000) - peakFrom(x, 48000),
                levelFromVelocity(0.9) - levelFromVelocity(0.45), 0.01);
    s.set("sound0", "follow", 0.0);
    x = s.rendered();
    EXPECT_NEAR(peakFrom(x, 24000), peakFrom(x, 48000), 1e-6);
}

TEST(Stack, RulesSayWhichStrokesStartALayer) {
    std::vector<Stroke> strokes;
    for (int i = 0; i < 12; ++i) {
        strokes.push_back(strokeAt(0.1 * i, i % 3 == 0 ? 0.9 : 0.6,
                                   i % 3 == 0 ? StrokeKind::accent : StrokeKind::normal));
    }
    strokes[4].kind = StrokeKind::ghost;
    strokes[5].kind = StrokeKind::flam;
    strokes[7].articulation = 1;
    Layer layer = makeLayer("x", "X", {});
    const auto started = [&] { return struckBy(layer, strokes); };
    EXPECT_EQ(started().size(), 10U);  // ghosts and grace notes are spared
    layer.values[Layer::spareGhosts] = layer.values[Layer::spareFlams] = 0.0;
    EXPECT_EQ(started().size(), 12U);
    layer.values[Layer::way] = static_cast<double>(StruckWay::other);
    EXPECT_EQ(started(), (std::vector<std::size_t>{7}));
    layer.values[Layer::way] = static_cast<double>(StruckWay::any);
    layer.values[Layer::struckBy] = static_cast<double>(StruckBy::accents);
    EXPECT_EQ(started(), (std::vector<std::size_t>{0, 3, 6, 9}));
    layer.values[Layer::struckBy] = static_cast<double>(StruckBy::above);
    layer.values[Layer::above] = 70.0;
    EXPECT_EQ(started(), (std::vector<std::size_t>{0, 3, 6, 9}));
    layer.values[Layer::struckBy] = static_cast<double>(StruckBy::everyNth);
    layer.values[Layer::every] = 4.0;
    layer.values[Layer::first] = 3.0;
    EXPECT_EQ(started(), (std::vector<std::size_t>{2, 6, 10}));
}

TEST(Stack, AShareOfStrokesIsTheSameShareEachTime) {
    std::vector<Stroke> strokes;
    for (int i = 0; i < 400; ++i) strokes.push_back(strokeAt(0.05 * i));
    Layer layer = makeLayer("x", "X", {});
    layer.values[Layer::struckBy] = static_cast<double>(StruckBy::share);
    layer.values[Layer::share] = 30.0;
    const auto some = struckBy(layer, strokes);
    EXPECT_NEAR(static_cast<double>(some.size()), 120.0, 30.0);
    // A stroke more does not change the lot of the others.
    strokes.erase(strokes.begin());
    std::vector<std::size_t> others;
    for (const std::size_t s : some) {
        if (s > 0) others.push_back(s - 1);
    }
    EXPECT_EQ(struckBy(layer, strokes), others);
    layer.id = "y";
    EXPECT_NE(struckBy(layer, strokes), others);
}

TEST(Stack, TwinsAreNeverPlayedTwiceRunning) {
    Stacked s({burst(500)}, {strokeAt(0.1), strokeAt(0.2), strokeAt(0.3), strokeAt(0.4)});
    const auto twin = s.folder / "twin.wav";
    test::writeMono(twin, burst(700, 8));
    s.session =
        withLayerSounds(s.session, "stack", "sound0",
                        {findRow(s.session, "stack")->layers[0].sounds[0], {twin.string(), ""}});
    const auto stack = s.stack();
    ASSERT_EQ(stack->voices().size(), 4U);
    for (std::size_t i = 1; i < 4; ++i)
        EXPECT_NE(stack->voices()[i].sound, stack->voices()[i - 1].sound);
}

TEST(Stack, AChokeEndsTheOpenOneWithoutAClick) {
    std::vector<Stroke> strokes{strokeAt(0.1), strokeAt(0.5)};
    strokes[0].articulation = 1;
    Stacked s({burst(2000), test::sine(200.0, 0.5, 48000, kRate)}, strokes);
    s.set("sound0", "way", static_cast<double>(StruckWay::usual));
    s.set("sound1", "way", static_cast<double>(StruckWay::other));
    s.set("sound0", "choke", 1.0);
    s.set("sound1", "choke", 1.0);
    s.set("sound0", "level", -60.0);
    const std::vector<float> x = s.rendered();
    EXPECT_GT(std::abs(x[23940]), 0.0F);
    EXPECT_LT(test::peakDb({x.begin() + 24000 + 100, x.end()}), -55.0);
    // The slope of a sine of 200 Hz, and what a fade of 2 ms adds to it.
    for (std::size_t i = 1; i < x.size(); ++i)
        ASSERT_LT(std::abs(x[i] - x[i - 1]), 0.5 * (0.0262 + 0.0105 + 0.001)) << i;
}

TEST(Stack, OfTooManyTheOldestGivesWay) {
    std::vector<Stroke> strokes;
    for (int i = 0; i < 200; ++i) strokes.push_back(strokeAt(0.001 * i));
    Stacked s({burst(48000)}, strokes);
    const auto stack = s.stack();
    for (Frames at = 0; at < 12000; at += 100) {
        const auto sounding =
            std::count_if(stack->voices().begin(), stack->voices().end(),
                          [&](const Voice& v) { return v.start <= at && at < v.cut; });
        EXPECT_LE(sounding, Stack::kMostVoices);
    }
}

TEST(Stack, PitchGoesWithLengthAndCutsTakeTheirBands) {
    Stacked s({test::sine(1000.0, 0.5, 24000, kRate)}, {strokeAt(0.0)});
    const auto energy = [&](double hertz) {
        const std::vector<float> x = s.rendered();
        double c = 0.0, q = 0.0;
        for (std::size_t i = 4000; i < 10000; ++i) {
            const double phase = 2.0 * M_PI * hertz * static_cast<double>(i) / kRate;
            c += static_cast<double>(x[i]) * std::cos(phase);
            q += static_cast<double>(x[i]) * std::sin(phase);
        }
        return 10.0 * std::log10((c * c + q * q) / (1500.0 * 1500.0));
    };
    EXPECT_NEAR(energy(1000.0), 0.0, 0.01);
    s.set("sound0", "pitch", 12.0);
    EXPECT_NEAR(energy(2000.0), 0.0, 0.02);
    EXPECT_EQ(s.stack()->voices()[0].end, 12000);
    s.set("sound0", "pitch", 0.0);
    s.set("sound0", "low-cut", 1000.0);
    EXPECT_NEAR(energy(1000.0), -3.0, 0.1);
    s.set("sound0", "low-cut", 4000.0);
    EXPECT_NEAR(energy(1000.0), -24.1, 0.3);
    s.set("sound0", "low-cut", 10.0);
    s.set("sound0", "high-cut", 1000.0);
    EXPECT_NEAR(energy(1000.0), -3.0, 0.1);
}

TEST(Stack, StartLengthAndFadesCutTheSound) {
    Stacked s({test::sine(100.0, 0.5, 48000, kRate)}, {strokeAt(0.0)});
    s.set("sound0", "start", 100.0);
    s.set("sound0", "length", 200.0);
    s.set("sound0", "fade-in", 50.0);
    s.set("sound0", "fade-out", 50.0);
    const auto sound = s.stack()->voices()[0].sound;
    EXPECT_EQ(sound->frames(), 9600U);
    EXPECT_EQ(sound->channels[0].front(), 0.0F);
    EXPECT_EQ(sound->channels[0].back(), 0.0F);
    EXPECT_NEAR(sound->channels[0][4800 + 120],
                0.5 * std::sin(2.0 * M_PI * 100.0 * (4800 + 4920) / kRate), 1e-4);
}

TEST(Stack, AMissingSoundIsToldAndTheRestPlays) {
    Stacked s({burst(1000), burst(1000, 4)}, {strokeAt(0.5)});
    std::filesystem::remove(s.folder / "sound0.wav");
    std::vector<std::string> problems;
    const auto stack = stackOf(s.session, "stack", problems);
    ASSERT_EQ(problems.size(), 1U);
    EXPECT_NE(problems[0].find("sound0.wav"), std::string::npos);
    EXPECT_EQ(stack->voices().size(), 1U);
}

TEST(Stack, PlayingAllocatesNothing) {
    std::vector<Stroke> strokes;
    for (int i = 0; i < 40; ++i) strokes.push_back(strokeAt(0.01 * i));
    Stacked s({burst(48000), burst(48000, 2)}, strokes);
    const auto plan = compile(s.session, test::sharedStore());
    std::vector<BlockPlay> blocks{{BlockPlay::Mode::play, 0, 0}};
    const test::AllocationGuard guard;
    for (int b = 0; b < 200; ++b) {
        blocks[0].position = b * kBlock;
        plan->run(blocks);
    }
    EXPECT_EQ(guard.count(), 0U);
}

TEST(Stack, ARecordedSnareIsSupportedWhereItIsStruckHardAndGhostsAreLeftAlone) {
    const TempFolder folder;
    test::writeMono(folder / "clap.wav", burst(4000));
    Session session = test::shortSession();
    const KitStrokes heard = measureSessionStrokes(session, test::sharedStore());
    session.strokes = Shared(heard.strokes);
    session =
        withLayerRow(std::move(session), "snare", {{(folder / "clap.wav").string(), ""}}, "Support")
            .session;
    session = withLayerValue(std::move(session), "support", "clap", "struck-by",
                             static_cast<double>(StruckBy::accents));
    std::vector<std::string> problems;
    const auto stack = stackOf(session, "support", problems);
    std::vector<double> accents, ghosts;
    for (const Stroke& s : heard.strokes) {
        if (s.drum == "snare" && s.kind == StrokeKind::accent) accents.push_back(s.time);
        if (s.drum == "snare" && s.kind == StrokeKind::ghost) ghosts.push_back(s.time);
    }
    ASSERT_GT(accents.size(), 3U);
    ASSERT_GT(ghosts.size(), 0U);
    ASSERT_EQ(stack->voices().size(), accents.size());
    for (std::size_t i = 0; i < accents.size(); ++i)
        EXPECT_NEAR(static_cast<double>(stack->voices()[i].start) / session.sampleRate, accents[i],
                    0.0005);
    for (const double ghost : ghosts) {
        for (const Voice& v : stack->voices())
            EXPECT_GT(std::abs(static_cast<double>(v.start) / session.sampleRate - ghost), 0.02);
    }
}

TEST(Stack, EditsUnderSoundGoOnWhereTheyAre) {
    Stacked s({burst(40000), burst(40000, 2)}, {strokeAt(0.1)});
    s.soften();
    test::Live live(s.session);
    live.playFrom(0.0, 9600);
    s.set("sound1", "level", -20.0);
    live.engine.setPlan(compile(s.session, test::sharedStore()), kRate);
    live.take(4800);
    const std::vector<float> after = live.take(9600), wanted = s.rendered();
    for (std::size_t i = 0; i < after.size(); ++i)
        ASSERT_NEAR(after[i], wanted[14400 + i], 1e-6) << i;
}

}  // namespace
}  // namespace ember
