// What strokes drive, where it is used: in a plan, with latencies before and after, through seek,
// loop, stop and start; and edits under sound, which change only what they change.

#include "core/base/error.h"
#include "core/base/units.h"
#include "core/engine/engine.h"
#include "core/engine/render.h"
#include "demo/mix.h"
#include "tests/support/allocation_guard.h"
#include "tests/support/random.h"
#include "tests/support/support.h"

#include <array>
#include <cmath>

namespace ember {
namespace {

using test::TempFolder;

constexpr double kRate = 48000.0;
constexpr float kLevel = 0.25F;

std::size_t frameAt(double seconds) {
    return static_cast<std::size_t>(std::llround(seconds * kRate));
}

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

// An engine that plays a session at unity, and what comes out on the left, latency taken away.
struct Live {
    Engine engine;
    int late = 0;
    std::size_t taken = 0;  // frames since the engine began

    explicit Live(const Session& session) {
        auto plan = compile(session, test::sharedStore());
        late = plan->latency();
        engine.setPlan(std::move(plan), kRate);
        engine.setMonitorDb(0.0);
        take(48000);
    }
    std::vector<float> take(std::size_t frames) {
        std::vector<float> left(frames), right(frames);
        taken += frames;
        for (std::size_t at = 0; at < frames; at += 240) {
            engine.process(left.data() + at, right.data() + at,
                           static_cast<int>(std::min<std::size_t>(240, frames - at)));
        }
        return left;
    }
    // Starts at a block's beginning, and leaves out what is heard before the place comes out.
    std::vector<float> playFrom(double seconds, std::size_t frames) {
        take((kBlock - taken % kBlock) % kBlock);
        engine.seek(static_cast<Frames>(frameAt(seconds)));
        engine.play();
        take(static_cast<std::size_t>(late));
        return take(frames);
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
        const std::vector<float> heard = live.playFrom(static_cast<double>(from) / kRate, 4 * turn);
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
    for (int n = 0; n < 40; ++n) roll.push_back(0.5 + n / kRate);
    Steady steady(roll, GetParam());
    const std::vector<float> out = steady.rendered();
    // Open for its length behind the last of them.
    EXPECT_NEAR(out[frameAt(0.5 + 39 / kRate + 0.0985)], kLevel, 1e-5F);
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

// --- Edits under sound ----------------------------------------------------------

// A row of the demo kit, another each time.
const char* pick(int n) {
    static constexpr std::array<const char*, 4> rows{"snare-top", "kick-in", "hat", "drum-bus"};
    return rows[static_cast<std::size_t>(n) % rows.size()];
}

double largestDifference(const std::vector<float>& a, const std::vector<float>& b) {
    double most = 0.0;
    for (std::size_t i = 0; i < a.size(); ++i)
        most = std::max(most, std::abs(static_cast<double>(a[i]) - static_cast<double>(b[i])));
    return most;
}

TEST(EditsUnderSound, LeaveNothingBehindWhereTheyChangeNothing) {
    // Gates by strokes, compressors in the middle of their work, saturation, equalisers.
    Session s = demo::demoMix(test::shortSession());
    s = withValue(std::move(s), "snare-top", "compressor", "release", 900.0);
    Live edited(s), left(s);
    edited.playFrom(1.0, 24000);
    left.playFrom(1.0, 24000);
    Session next = s;
    for (int n = 0; n < 6; ++n) {
        // A stage that is off, a row's key to itself, the order of what is off: structural,
        // unheard.
        next = withStageAdded(std::move(next), pick(n), "crusher");
        edited.engine.setPlan(compile(next, test::sharedStore()), kRate);
        const double residue = largestDifference(edited.take(14400), left.take(14400));
        EXPECT_LT(dbFromGain(residue), -120.0) << n;
    }
    edited.engine.collect();
}

TEST(EditsUnderSound, KeepWhatRings) {
    // Sound that only a state holds: a very narrow band that was struck once, and silence after.
    const TempFolder folder;
    std::vector<float> click(4 * 48000, 0.0F);
    click[4800] = 0.9F;
    test::writeMono(folder / "click.wav", click);
    Session s = test::oneElement(folder / "click.wav");
    for (const auto& [parameter, value] :
         std::vector<std::pair<const char*, double>>{{"b1.on", 1.0},
                                                     {"b1.shape", 0.0},
                                                     {"b1.frequency", 200.0},
                                                     {"b1.gain", 24.0},
                                                     {"b1.q", 16.0}})
        s = withValue(std::move(s), "one", "eq", parameter, value);
    Live edited(s), left(s);
    edited.playFrom(0.0, 9600);
    left.playFrom(0.0, 9600);
    ASSERT_GT(test::peakDb(left.take(480)), -60.0) << "it rings";
    edited.take(480);
    edited.engine.setPlan(compile(withStageAdded(s, "one", "crusher"), test::sharedStore()), kRate);
    EXPECT_LT(dbFromGain(largestDifference(edited.take(9600), left.take(9600))), -120.0);
}

TEST(EditsUnderSound, KeepALongTail) {
    const TempFolder folder;
    std::vector<float> click(5 * 48000, 0.0F);
    click[4800] = 0.9F;
    test::writeMono(folder / "click.wav", click);
    Session s = withStageAdded(test::oneElement(folder / "click.wav"), "one", "reverb");
    s = withValue(std::move(s), "one", "reverb", "decay", 4000.0);
    s = withValue(std::move(s), "one", "reverb", "modulation", 50.0);
    Live edited(s), left(s);
    edited.playFrom(0.0, 24000);
    left.playFrom(0.0, 24000);
    ASSERT_GT(test::peakDb(left.take(4800)), -50.0) << "it rings";
    edited.take(4800);
    for (int n = 0; n < 3; ++n) {
        s = withStageAdded(std::move(s), "one", "crusher");
        edited.engine.setPlan(compile(s, test::sharedStore()), kRate);
        EXPECT_LT(dbFromGain(largestDifference(edited.take(9600), left.take(9600))), -120.0) << n;
    }
    // Another decay is reached from where the sound is.
    edited.engine.setPlan(
        compile(withValue(s, "one", "reverb", "decay", 300.0), test::sharedStore()), kRate);
    const std::vector<float> shorter = edited.take(48000);
    EXPECT_LT(test::peakAboveDb(std::vector<float>(shorter.begin(), shorter.begin() + 1920),
                                18000.0, kRate),
              test::peakDb(shorter) - 20.0)
        << "nothing clicks";
    EXPECT_LT(test::peakDb(shorter, 43200), -80.0);
}

TEST(EditsUnderSound, PlansThatComeDuringAFadeWaitForTheirTurn) {
    const TempFolder folder;
    test::writeMono(folder / "tone.wav", test::sine(100.0, 0.5, 5 * 48000, kRate));
    const Session s = test::oneElement(folder / "tone.wav");
    Live live(s);
    auto out = live.playFrom(0.0, 9600);
    // Five within the time of one fade, each at another level.
    for (const double level : {-6.0, -12.0, 0.0, -20.0, -3.0}) {
        live.engine.setPlan(
            compile(withValue(s, "one", "seat", "level", level), test::sharedStore()), kRate);
        for (const float x : live.take(240)) out.push_back(x);
    }
    for (const float x : live.take(9600)) out.push_back(x);
    EXPECT_NEAR(test::peakDb(out, out.size() - 4800), dbFromGain(0.5) - 3.0, 0.1)
        << "the last one is heard";
    EXPECT_LT(test::peakAboveDb(std::vector<float>(out.begin() + 2400, out.end()), 2150.0, kRate),
              -60.0);
    live.engine.collect();
}

TEST(EditsUnderSound, APlanArrivesOnItsBeatToTheSample) {
    const TempFolder folder;
    test::writeMono(folder / "steady.wav", std::vector<float>(5 * 48000, kLevel));
    Session s = test::oneElement(folder / "steady.wav");
    s = withValue(std::move(s), "one", "compressor", "look-ahead", 2.0);
    s = withStageOn(std::move(s), "one", "compressor", false);
    const Session softer = withValue(s, "one", "seat", "level", -20.0);
    for (const Frames beat : {Frames{24000}, Frames{24037}, Frames{31999}}) {
        Live live(s);
        const std::vector<float> before = live.playFrom(0.0, 9600);
        // Two are asked for: the later one is heard.
        const std::uint32_t same = live.engine.keep(compile(s, test::sharedStore()), kRate),
                            other = live.engine.keep(compile(softer, test::sharedStore()), kRate);
        live.engine.listen({same, -1, 0.0, beat});
        live.engine.listen({other, -1, 0.0, beat});
        const std::vector<float> heard = live.take(48000);
        std::size_t first = 0;
        while (first < heard.size() && heard[first] == before.back()) ++first;
        // The fade begins with the beat; its first step is below what a float can show.
        EXPECT_NEAR(static_cast<double>(first) + 9600.0, static_cast<double>(beat), 4.0);
        EXPECT_NEAR(heard.back(), kLevel * static_cast<float>(gainFromDb(-20.0)), 1e-4F);
    }
    // Standing still there is no beat to wait for, and one that is passed by is not waited for.
    Live still(s);
    still.engine.listen(
        {still.engine.keep(compile(softer, test::sharedStore()), kRate), -1, 0.0, 24000});
    still.take(4800);
    EXPECT_NEAR(still.playFrom(0.0, 4800).back(), kLevel * static_cast<float>(gainFromDb(-20.0)),
                1e-4F);
    Live passed(s);
    passed.playFrom(0.5, 9600);
    passed.engine.listen(
        {passed.engine.keep(compile(softer, test::sharedStore()), kRate), -1, 0.0, 100});
    EXPECT_NEAR(passed.take(9600).back(), kLevel * static_cast<float>(gainFromDb(-20.0)), 1e-4F);
}

TEST(EditsUnderSound, NoPlanIsEverLost) {
    const TempFolder folder;
    test::writeMono(folder / "tone.wav", test::sine(100.0, 0.5, 4800, kRate));
    const Session s = test::oneElement(folder / "tone.wav");
    AudioStore& store = test::sharedStore();
    const auto clip = store.open(s.rows[0].sources[0].file, 48000);
    const long before = clip.use_count();
    {
        Live live(s);
        // Far more than may wait, and nobody collects while they are played.
        for (int n = 0; n < 700; ++n) live.engine.setPlan(compile(s, store), kRate);
        live.take(96000);
        live.engine.collect();
        live.take(96000);
        live.engine.collect();
        live.take(96000);
        live.engine.collect();
        EXPECT_EQ(clip.use_count(), before + 1) << "one plan is left";
    }
    EXPECT_EQ(clip.use_count(), before);
}

TEST(EditsUnderSound, AllocateNothingInTheCallback) {
    Session s = demo::demoMix(test::shortSession());
    Live live(s);
    live.playFrom(1.0, 4800);
    std::vector<std::unique_ptr<Plan>> plans;
    for (int n = 0; n < 8; ++n) {
        s = withStageAdded(std::move(s), pick(n), "eq");
        plans.push_back(compile(s, test::sharedStore()));
    }
    std::vector<float> left(240), right(240);
    std::size_t allocated = 0;
    for (auto& plan : plans) {
        live.engine.setPlan(std::move(plan), kRate);
        const test::AllocationGuard guard;
        for (int n = 0; n < 20; ++n) live.engine.process(left.data(), right.data(), 240);
        allocated += guard.count();
    }
    EXPECT_EQ(allocated, 0U);
}

// Random chains on a low tone: whatever is added, moved or taken away, no click.
TEST(EditsUnderSound, NeverClick) {
    const TempFolder folder;
    test::writeMono(folder / "tone.wav", test::sine(100.0, 0.25, 20 * 48000, kRate));
    const Session first = test::oneElement(folder / "tone.wav");
    EXPECT_TRUE(test::holdsFor(30, "edits of the chain under a tone of 100 Hz", [&] {
        const auto steps = *rc::gen::container<std::vector<int>>(static_cast<std::size_t>(10),
                                                                 rc::gen::inRange(0, 7 * 8));
        Live live(first);
        Session s = first;
        auto out = live.playFrom(0.0, 9600);
        for (const int step : steps) {
            const std::string stage =
                s.rows[0].chain[static_cast<std::size_t>(step / 7) % s.rows[0].chain.size()].id;
            try {
                if (step % 7 == 0) s = withStageAdded(s, "one", "eq", stage);
                if (step % 7 == 1) s = withStageAdded(s, "one", "compressor", stage);
                if (step % 7 == 2) s = withStageRemoved(s, "one", stage);
                if (step % 7 == 3) s = withStageMoved(s, "one", stage, 1);
                if (step % 7 == 4) s = withStageDuplicated(s, "one", stage);
                if (step % 7 == 5) s = withValue(s, "one", stage, "look-ahead", 3.0);
                if (step % 7 == 6) s = withValue(s, "one", stage, "threshold", -30.0);
            } catch (const Error&) {
                continue;  // align and seat stay where they are
            }
            live.engine.setPlan(compile(s, test::sharedStore()), kRate);
            for (const float x : live.take(4800)) out.push_back(x);
        }
        const double click =
            test::peakAboveDb(std::vector<float>(out.begin() + 2400, out.end()), 3000.0, kRate);
        RC_ASSERT(click < -60.0);
        live.engine.collect();
    }));
}

}  // namespace
}  // namespace ember
