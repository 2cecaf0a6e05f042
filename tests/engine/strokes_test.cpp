// What strokes drive, where it is used: in a plan, with latencies before and after, through seek,
// loop, stop and start.

#include "core/base/units.h"
#include "core/engine/render.h"
#include "tests/engine/live.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

using test::frameAt;
using test::Live;
using test::TempFolder;

constexpr float kLevel = 0.25F;

// A row of constant level for three seconds: what comes out is the gain. Strokes of its drum at
// given times.
struct Steady {
    TempFolder folder;
    Session session;

    explicit Steady(const std::vector<double>& strokes, const std::string& type) {
        test::writeMono(folder / "steady.wav", std::vector<float>(3 * 48000, kLevel));
        session = test::oneElement(folder / "steady.wav");
        session.rows[0].role = Role::snareTop;
        session = withDrums(std::move(session));
        std::vector<Stroke> all;
        for (const double at : strokes) {
            all.emplace_back();
            all.back().time = at;
            all.back().drum = session.rows[0].drum.empty() ? "snare" : session.rows[0].drum;
        }
        session.strokes = Shared(all);
        if (type == "stroke") {
            session = withStageAdded(std::move(session), "one", "stroke");
            set("stroke", {{"floor", -90.0}, {"length", 100.0}, {"fade", 10.0}});
        } else {
            set("gate", {{"key-source", 1.0},
                         {"floor", -90.0},
                         {"attack", 0.5},
                         {"release", 10.0},
                         {"stroke-early", 5.0},
                         {"stroke-length", 100.0},
                         {"threshold", 0.0}});
        }
    }
    void set(const std::string& stage, const std::vector<std::pair<const char*, double>>& values) {
        for (const auto& [parameter, value] : values)
            session = withValue(std::move(session), "one", stage, parameter, value);
    }
    [[nodiscard]] std::vector<float> rendered() const {
        return renderMix(session, test::sharedStore(), {}).channels[0];
    }
};

class Driven : public testing::TestWithParam<const char*> {};

TEST_P(Driven, AStrokeComesOutWholeFromItsFirstMoment) {
    Steady steady({0.5, 1.5}, GetParam());
    const std::vector<float> out = steady.rendered();
    for (const double stroke : {0.5, 1.5}) {
        EXPECT_LT(std::abs(out[frameAt(stroke - 0.02)]), 1e-4F);
        // From the stroke's first frame on, not from its look-ahead on.
        for (double ms = 0.0; ms < 99.0; ms += 1.0)
            ASSERT_NEAR(out[frameAt(stroke + 1e-3 * ms)], kLevel, 1e-5F) << ms;
        EXPECT_LT(std::abs(out[frameAt(stroke + 0.13)]), 1e-4F);
    }
}

TEST_P(Driven, LatenciesAroundItDoNotMoveIt) {
    Steady steady({0.5, 1.5}, GetParam());
    steady.set("compressor", {{"look-ahead", 4.0}, {"ratio", 1.0}});
    for (const int place : {-3, 0}) {
        Steady moved = Steady({0.5, 1.5}, GetParam());
        moved.session = withStageMoved(steady.session, "one", "compressor", place);
        const std::vector<float> out = moved.rendered();
        EXPECT_NEAR(out[frameAt(0.5)], kLevel, 1e-5F);
        EXPECT_NEAR(out[frameAt(0.5985)], kLevel, 1e-5F);
        EXPECT_LT(std::abs(out[frameAt(0.48)]), 1e-4F);
        EXPECT_LT(std::abs(out[frameAt(0.63)]), 1e-4F);
    }
}

TEST_P(Driven, AlignmentTakesItAlong) {
    for (const double ms : {-30.0, 30.0}) {
        Steady steady({0.5}, GetParam());
        steady.set("align", {{"delay", ms}});
        const std::vector<float> out = steady.rendered();
        EXPECT_LT(std::abs(out[frameAt(0.48 + 1e-3 * ms)]), 1e-4F) << ms;
        EXPECT_NEAR(out[frameAt(0.5 + 1e-3 * ms)], kLevel, 1e-5F) << ms;
        EXPECT_NEAR(out[frameAt(0.598 + 1e-3 * ms)], kLevel, 1e-5F) << ms;
    }
}

TEST_P(Driven, StartingInsideAStrokeSoundsAsItWould) {
    Steady steady({0.5, 1.5}, GetParam());
    const std::vector<float> wanted = steady.rendered();
    // Inside a stroke, in its fade, between strokes, and just before one.
    for (const double at : {0.52, 0.59, 0.75, 1.496, 1.4999}) {
        Live live(steady.session);
        const Frames grid = static_cast<Frames>(frameAt(at)) / kBlock * kBlock;
        const std::vector<float> heard = live.playFrom(at, 9600);
        for (std::size_t i = frameAt(0.0025); i < heard.size(); ++i) {
            ASSERT_NEAR(heard[i], wanted[static_cast<std::size_t>(grid) + i], 2e-4F)
                << at << " s, " << i << " frames on";
        }
    }
}

TEST_P(Driven, ASeekLeavesNothingOpenThatIsNotStruckThere) {
    Steady steady({0.5}, GetParam());
    Live live(steady.session);
    live.playFrom(0.51, 480);
    live.engine.seek(static_cast<Frames>(frameAt(2.0)));
    const std::vector<float> heard = live.take(frameAt(0.5));
    for (std::size_t i = static_cast<std::size_t>(live.late) + frameAt(0.03); i < heard.size(); ++i)
        ASSERT_LT(std::abs(heard[i]), 1e-4F) << i;
}

TEST_P(Driven, EveryTurnOfALoopSoundsAlike) {
    // The loop begins inside a stroke, and a stroke lies just behind its start.
    for (const double begins : {0.53, 0.4995, 0.44}) {
        Steady steady({0.5, 0.8}, GetParam());
        Live live(steady.session);
        const Frames from = static_cast<Frames>(frameAt(begins)) / kBlock * kBlock,
                     to = static_cast<Frames>(frameAt(0.9)) / kBlock * kBlock;
        live.engine.setLoop(true, from, to);
        const auto turn = static_cast<std::size_t>(to - from);
        const std::vector<float> heard =
            live.playFrom(static_cast<double>(from) / test::kLiveRate, 4 * turn);
        const std::vector<float> wanted = steady.rendered();
        for (std::size_t n = 0; n < 4; ++n) {
            // The wrap itself fades, and a gate opens and closes over it.
            for (std::size_t i = frameAt(0.012); i < turn - frameAt(0.006); ++i) {
                ASSERT_NEAR(heard[n * turn + i], wanted[static_cast<std::size_t>(from) + i], 2e-4F)
                    << begins << ", turn " << n << ", frame " << i;
            }
        }
    }
}

TEST_P(Driven, StoppingAndStartingAgainStrikesNothingTwice) {
    Steady steady({0.5, 1.5}, GetParam());
    const std::vector<float> wanted = steady.rendered();
    Live live(steady.session);
    live.playFrom(0.52, 480);
    live.engine.stop();
    live.take(48000);  // standing still inside the stroke
    const std::vector<float> heard = live.playFrom(0.52, 9600);
    const std::size_t grid = frameAt(0.52) / kBlock * kBlock;
    for (std::size_t i = frameAt(0.0025); i < heard.size(); ++i)
        ASSERT_NEAR(heard[i], wanted[grid + i], 2e-4F) << i;
}

TEST_P(Driven, ManyStrokesAtOnceAreAllHeard) {
    std::vector<double> roll;
    for (int n = 0; n < 40; ++n) roll.push_back(0.5 + n / test::kLiveRate);
    Steady steady(roll, GetParam());
    const std::vector<float> out = steady.rendered();
    // Open for its length behind the last of them.
    EXPECT_NEAR(out[frameAt(0.5 + 39 / test::kLiveRate + 0.0985)], kLevel, 1e-5F);
    EXPECT_LT(std::abs(out[frameAt(0.64)]), 1e-4F);
}

INSTANTIATE_TEST_SUITE_P(ByStrokes, Driven, testing::Values("gate", "stroke"),
                         [](const auto& which) { return std::string(which.param); });

TEST(Guests, AreHeardByWhatTheyKeyAlsoWhereTheyAreNotRendered) {
    const TempFolder folder;
    test::writeMono(folder / "steady.wav", std::vector<float>(48000, kLevel));
    std::vector<float> bursts(96000, 0.0F);
    std::fill(bursts.begin() + 12000, bursts.begin() + 24000, 0.5F);
    test::writeMono(folder / "bursts.wav", bursts);
    Session s = test::oneElement(folder / "steady.wav");
    Row guest = s.rows[0];
    guest.id = guest.name = "guest";
    guest.kind = RowKind::guest;
    guest.role = Role::bass;
    guest.sources[0].file = (folder / "bursts.wav").string();
    guest.chain = makeChain(RowKind::guest);
    s.rows.insert(s.rows.begin() + 1, guest);
    for (const auto& [parameter, value] : std::vector<std::pair<const char*, double>>{
             {"threshold", -20.0}, {"floor", -90.0}, {"hold", 1.0}, {"release", 5.0}})
        s = withValue(std::move(s), "one", "gate", parameter, value);
    requireStage(requireRow(s, "one"), "gate").key = "guest";
    const AudioBuffer alone = renderMix(s, test::sharedStore(), {});
    EXPECT_EQ(alone.channels[0].size(), 48000U) << "the guest does not make the render longer";
    EXPECT_NEAR(alone.channels[0][18000], kLevel, 1e-4F) << "the guest opens the gate, unheard";
    EXPECT_LT(std::abs(alone.channels[0][6000]), 1e-4F);
    EXPECT_LT(std::abs(alone.channels[0][40000]), 1e-4F);
    RenderOptions with;
    with.withGuests = true;
    EXPECT_NEAR(renderMix(s, test::sharedStore(), with).channels[0][18000], kLevel + 0.5F, 1e-3F);
}

}  // namespace
}  // namespace ember
