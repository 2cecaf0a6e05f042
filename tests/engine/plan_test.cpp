// Routing, mutes and solos, delays, keys and moves, in the compiled plan.

#include "core/engine/plan.h"

#include "core/base/error.h"
#include "core/base/units.h"
#include "core/engine/flush_to_zero.h"
#include "core/engine/render.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

using test::TempFolder;

// Two elements of constant level into a bus each, both into main.
struct TwoRows {
    TempFolder folder;
    Session session;

    TwoRows() {
        test::writeMono(folder / "a.wav", std::vector<float>(48000, 0.25F));
        test::writeMono(folder / "b.wav", std::vector<float>(48000, 0.5F));
        session = test::twoElements(folder / "a.wav", folder / "b.wav");
    }
    [[nodiscard]] double level(const Session& s) const {
        return static_cast<double>(renderMix(s, test::sharedStore(), {}).channels[0][24000]);
    }
};

TEST(Plan, MutesAndSolosRowsWithTheirBusesAndMembers) {
    const TwoRows two;
    Session s = two.session;
    EXPECT_NEAR(two.level(s), 0.75, 1e-6);
    requireRow(s, "one").mute = true;
    EXPECT_NEAR(two.level(s), 0.5, 1e-6);
    s = two.session;
    requireRow(s, "right").mute = true;
    EXPECT_NEAR(two.level(s), 0.25, 1e-6) << "a muted bus takes its members along";
    s = two.session;
    requireRow(s, "two").solo = true;
    EXPECT_NEAR(two.level(s), 0.5, 1e-6) << "a soloed element is heard through its bus";
    s = two.session;
    requireRow(s, "left").solo = true;
    EXPECT_NEAR(two.level(s), 0.25, 1e-6) << "a soloed bus brings its members";
    requireRow(s, "one").mute = true;
    EXPECT_NEAR(two.level(s), 0.0, 1e-6) << "mute is stronger than solo";
}

TEST(Plan, RefusesASessionThatIsNotSound) {
    TwoRows two;
    requireRow(two.session, "left").parent = "left";
    EXPECT_NE(
        test::errorOf([&] { compile(two.session, test::sharedStore()); }).find("feeds itself"),
        std::string::npos);
}

TEST(Plan, DelaysByWholeFramesBitForBitAndEarlierToo) {
    const TempFolder folder;
    const auto audio = test::noise(0.5, 24000, 6);
    test::writeMono(folder / "n.wav", audio);
    const Session s = test::oneElement(folder / "n.wav");
    for (const int frames : {-480, -1, 1, 480}) {
        const AudioBuffer out = renderMix(withValue(s, "one", "align", "delay", frames / 48.0),
                                          test::sharedStore(), {});
        for (int i = 1000; i < 20000; ++i)
            ASSERT_EQ(out.channels[0][static_cast<std::size_t>(i)],
                      audio[static_cast<std::size_t>(i - frames)])
                << frames;
    }
}

TEST(Plan, DelaysByFractionsOfAFrameWithoutColouring) {
    const TempFolder folder;
    for (const double hertz : {100.0, 3000.0, 12000.0, 18000.0}) {
        test::writeMono(folder / "t.wav", test::sine(hertz, 0.5, 24000, 48000.0));
        const AudioBuffer out = renderMix(
            withValue(test::oneElement(folder / "t.wav"), "one", "align", "delay", 10.37 / 48.0),
            test::sharedStore(), {});
        double worst = 0.0;
        for (std::size_t i = 4000; i < 20000; ++i) {
            const double wanted =
                0.5 * std::sin(2.0 * M_PI * hertz * (static_cast<double>(i) - 10.37) / 48000.0);
            worst = std::max(worst, std::abs(static_cast<double>(out.channels[0][i]) - wanted));
        }
        EXPECT_LT(dbFromGain(worst), hertz > 15000.0 ? -50.0 : -80.0) << hertz;
    }
}

TEST(Plan, LinesRecordingsUpByTheirTimeStamps) {
    const TempFolder folder;
    const auto audio = test::noise(0.5, 24000, 6);
    test::writeMono(folder / "n.wav", audio);
    Session s = test::oneElement(folder / "n.wav");
    s.rows[0].sources[0].offset = 0.25;
    const AudioBuffer out = renderMix(s, test::sharedStore(), {});
    ASSERT_EQ(out.frames(), 36000U);
    EXPECT_EQ(out.channels[0][11999], 0.0F);
    EXPECT_TRUE(std::equal(audio.begin(), audio.end(), out.channels[0].begin() + 12000));
}

TEST(Plan, AGateListensToAnotherRowAlsoAMutedOne) {
    TwoRows two;
    Session s = withValue(two.session, "one", "gate", "threshold", -9.0);
    s = withValue(s, "one", "gate", "floor", -90.0);
    requireRow(s, "two").mute = true;
    EXPECT_NEAR(two.level(s), 0.0, 1e-6) << "its own level of -12 dB does not open it";
    requireStage(requireRow(s, "one"), "gate").key = "two";
    EXPECT_NEAR(two.level(s), 0.25, 1e-6) << "the other row's -6 dB does";
}

TEST(Plan, AGateOpensForItsDrumsStrokesAndForNothingElse) {
    TwoRows two;
    Session s = two.session;
    requireRow(s, "one").role = Role::snareTop;
    requireRow(s, "two").role = Role::kickIn;
    s = withDrums(std::move(s));
    for (const auto& [parameter, value] :
         std::vector<std::pair<const char*, double>>{{"key-source", 1.0},
                                                     {"floor", -90.0},
                                                     {"attack", 0.5},
                                                     {"release", 10.0},
                                                     {"look-ahead", 0.0},
                                                     {"stroke-early", 5.0},
                                                     {"stroke-length", 100.0},
                                                     {"threshold", 0.0}})
        s = withValue(std::move(s), "one", "gate", parameter, value);
    requireRow(s, "two").mute = true;
    std::vector<Stroke> strokes(2);
    strokes[0].time = 0.3;
    strokes[0].drum = "kick";
    strokes[1].time = 0.6;
    strokes[1].drum = "snare";
    s.strokes = Shared(strokes);
    const std::vector<float> out = renderMix(s, test::sharedStore(), {}).channels[0];
    const auto at = [&](double seconds) {
        return out[static_cast<std::size_t>(seconds * 48000.0)];
    };
    EXPECT_EQ(at(0.32), 0.0F) << "the kick's stroke does not open the snare's gate";
    EXPECT_EQ(at(0.5945), 0.0F) << "closed until 5 ms before the stroke";
    EXPECT_FLOAT_EQ(at(0.5957), 0.25F) << "fully open 0.5 ms later";
    EXPECT_FLOAT_EQ(at(0.6995), 0.25F) << "for its length";
    EXPECT_EQ(at(0.715), 0.0F) << "and closed after the release";
    requireStage(requireRow(s, "one"), "gate").key = "two";
    const std::vector<float> keyed = renderMix(s, test::sharedStore(), {}).channels[0];
    EXPECT_FLOAT_EQ(keyed[static_cast<std::size_t>(0.32 * 48000.0)], 0.25F)
        << "keyed by the kick it follows the kick's strokes";
}

TEST(Plan, AMoveArrivesWhereANewPlanWouldBegin) {
    const TwoRows two;
    const FlushToZero flush;
    const auto plan = compile(two.session, test::sharedStore());
    const int row = plan->rowIndex("one");
    const int seat = static_cast<int>(findRow(two.session, "one")->chain.size()) - 1;
    plan->move({Move::Kind::value, row, seat, 0, -6.0});
    float last = 0.0F;
    for (int block = 0; block < 300; ++block) {
        const BlockPlay play{BlockPlay::Mode::play, block * kBlock, 0};
        plan->run({&play, 1});
        last = plan->mainOutput(0)[kBlock - 1];
    }
    EXPECT_NEAR(static_cast<double>(last),
                two.level(withValue(two.session, "one", "seat", "level", -6.0)), 1e-6);
}

TEST(Plan, AuditionPassesProcessingByAtTheGainGiven) {
    TwoRows two;
    const Session s = withValue(two.session, "one", "compressor", "make-up", 12.0);
    const auto plan = compile(s, test::sharedStore());
    plan->audition({true, plan->rowIndex("one"), 0, 6.0});
    float last = 0.0F;
    for (int block = 0; block < 400; ++block) {
        const BlockPlay play{BlockPlay::Mode::play, block * kBlock, 0};
        plan->run({&play, 1});
        last = plan->output(plan->rowIndex("one"), 0)[kBlock - 1];
    }
    EXPECT_NEAR(dbFromGain(static_cast<double>(last)), dbFromGain(0.25) + 6.0, 0.02);
}

TEST(Plan, SeveralStagesArePassedByAtOnce) {
    TwoRows two;
    Session s = withValue(two.session, "one", "compressor", "make-up", 12.0);
    s = withValue(s, "one", "eq", "b1.on", 1.0);
    s = withValue(s, "one", "eq", "b1.gain", 9.0);
    s = withValue(s, "one", "eq", "b1.frequency", 1000.0);
    std::uint64_t both = 0;
    const std::vector<Stage>& chain = findRow(s, "one")->chain;
    for (std::size_t i = 0; i < chain.size(); ++i) {
        if (chain[i].id == "compressor" || chain[i].id == "eq")
            both |= stageBit(static_cast<int>(i));
    }
    const auto heard = compile(s, test::sharedStore()),
               plain = compile(two.session, test::sharedStore());
    heard->audition({true, heard->rowIndex("one"), both, 0.0});
    for (int block = 0; block < 400; ++block) {
        const BlockPlay play{BlockPlay::Mode::play, block * kBlock, 0};
        heard->run({&play, 1});
        plain->run({&play, 1});
    }
    EXPECT_NEAR(heard->output(heard->rowIndex("one"), 0)[kBlock - 1],
                plain->output(plain->rowIndex("one"), 0)[kBlock - 1], 1e-5F);
}

TEST(Plan, ReportsTheLatencyItHas) {
    TwoRows two;
    Session s = withValue(two.session, "one", "gate", "look-ahead", 4.0);
    s = withValue(s, "left", "compressor", "look-ahead", 2.0);
    const auto plan = compile(s, test::sharedStore());
    EXPECT_EQ(plan->latency(plan->rowIndex("one")), 192);
    EXPECT_GE(plan->latency(plan->rowIndex("left")), 192 + 96);
    const int left = plan->rowIndex("left"), right = plan->rowIndex("right");
    for (const Plan::Input& input : plan->inputs(plan->rowIndex("main"))) {
        EXPECT_EQ(input.wait, input.from == right ? plan->latency(left) - plan->latency(right) : 0)
            << "the earlier one waits";
    }
}

}  // namespace
}  // namespace ember
