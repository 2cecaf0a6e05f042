// Mixes to be heard beside the session's own: without its effects, and at another width.
#include "core/session/routing.h"

#include "core/engine/render.h"
#include "core/session/diff.h"
#include "tests/engine/live.h"

#include <gtest/gtest.h>

namespace ember {
namespace {

using test::Live;

TEST(Effects, AreWhatIsSentAndWhatRings) {
    const test::TempFolder folder;
    test::writeMono(folder / "tone.wav", test::sine(997.0, 0.25, 48000, test::kLiveRate));
    const Session dry = test::oneElement(folder / "tone.wav");
    EXPECT_FALSE(hasEffects(dry));
    EXPECT_EQ(withoutEffects(dry), dry);
    Session wet = withBusAdded(dry, "Hall");
    wet = withStageAdded(std::move(wet), "hall", "reverb");
    EXPECT_FALSE(hasEffects(wet)) << "a reverb that is off";
    wet = withStageOn(std::move(wet), "hall", "reverb", true);
    EXPECT_TRUE(hasEffects(wet));
    wet = withSend(std::move(wet), "one", {.to = "hall", .levelDb = -3.0});
    const Session out = withoutEffects(wet);
    EXPECT_FALSE(hasEffects(out));
    // The same places: what moves in one moves in the other.
    EXPECT_FALSE(diff(wet, out).structural);
    const std::vector<float> alone = Live(dry).playFrom(0.0, 24000),
                             without = Live(out).playFrom(0.0, 24000),
                             with = Live(wet).playFrom(0.0, 24000);
    EXPECT_LT(test::largestDifference(alone, without), 1e-6);
    EXPECT_GT(test::largestDifference(alone, with), 1e-2);
}

TEST(Width, IsOfWhatIsHeardInStereoAndLeavesMonoAlone) {
    const test::TempFolder folder;
    test::writeMono(folder / "left.wav", test::noise(0.2, 48000, 3));
    test::writeMono(folder / "right.wav", test::noise(0.2, 48000, 5));
    Session session = test::oneElement(folder / "left.wav");
    const Session mono = session;
    EXPECT_EQ(withWidth(mono, 0.0), mono);
    session.rows.front().sources.push_back({(folder / "right.wav").string(), "", 0, 0.0});
    const Session narrow = withWidth(session, 0.0);
    EXPECT_EQ(findRow(narrow, "one")->chain.back().values[2], 0.0);
    const auto sides = [](const Session& of) {
        return renderMix(of, test::sharedStore(), {.to = 0.5}).channels;
    };
    const auto wide = sides(session), same = sides(narrow);
    EXPECT_GT(test::largestDifference(wide[0], wide[1]), 0.1);
    EXPECT_LT(test::largestDifference(same[0], same[1]), 1e-6);
    // What one speaker plays is the same.
    for (std::size_t i = 0; i < wide[0].size(); ++i)
        ASSERT_NEAR(wide[0][i] + wide[1][i], same[0][i] + same[1][i], 1e-6) << i;
    EXPECT_NE(test::errorOf([&] { withWidth(session, 300.0); }), "");
}

}  // namespace
}  // namespace ember
