// Edits under sound change only what they change: what rings rings on, and nothing clicks.

#include "core/base/error.h"
#include "core/base/units.h"
#include "demo/mix.h"
#include "tests/engine/live.h"
#include "tests/support/allocation_guard.h"
#include "tests/support/random.h"
#include "tests/support/support.h"

#include <array>
#include <cmath>

namespace ember {
namespace {

using test::Live;
using test::TempFolder;

constexpr double kEditRate = test::kLiveRate;
constexpr float kSteadyLevel = 0.25F;

// A row of the demo kit, another each time.
const char* pick(int n) {
    static constexpr std::array<const char*, 4> rows{"snare-top", "kick-in", "hat", "drum-bus"};
    return rows[static_cast<std::size_t>(n) % rows.size()];
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
        edited.engine.setPlan(compile(next, test::sharedStore()), kEditRate);
        const double residue = test::largestDifference(edited.take(14400), left.take(14400));
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
    edited.engine.setPlan(compile(withStageAdded(s, "one", "crusher"), test::sharedStore()),
                          kEditRate);
    EXPECT_LT(dbFromGain(test::largestDifference(edited.take(9600), left.take(9600))), -120.0);
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
        edited.engine.setPlan(compile(s, test::sharedStore()), kEditRate);
        EXPECT_LT(dbFromGain(test::largestDifference(edited.take(9600), left.take(9600))), -120.0)
            << n;
    }
    // Another decay is reached from where the sound is.
    edited.engine.setPlan(
        compile(withValue(s, "one", "reverb", "decay", 300.0), test::sharedStore()), kEditRate);
    const std::vector<float> shorter = edited.take(48000);
    EXPECT_LT(test::peakAboveDb(std::vector<float>(shorter.begin(), shorter.begin() + 1920),
                                18000.0, kEditRate),
              test::peakDb(shorter) - 20.0)
        << "nothing clicks";
    EXPECT_LT(test::peakDb(shorter, 43200), -80.0);
}

TEST(EditsUnderSound, PlansThatComeDuringAFadeWaitForTheirTurn) {
    const TempFolder folder;
    test::writeMono(folder / "tone.wav", test::sine(100.0, 0.5, 5 * 48000, kEditRate));
    const Session s = test::oneElement(folder / "tone.wav");
    Live live(s);
    auto out = live.playFrom(0.0, 9600);
    // Five within the time of one fade, each at another level.
    for (const double level : {-6.0, -12.0, 0.0, -20.0, -3.0}) {
        live.engine.setPlan(
            compile(withValue(s, "one", "seat", "level", level), test::sharedStore()), kEditRate);
        for (const float x : live.take(240)) out.push_back(x);
    }
    for (const float x : live.take(9600)) out.push_back(x);
    EXPECT_NEAR(test::peakDb(out, out.size() - 4800), dbFromGain(0.5) - 3.0, 0.1)
        << "the last one is heard";
    EXPECT_LT(
        test::peakAboveDb(std::vector<float>(out.begin() + 2400, out.end()), 2150.0, kEditRate),
        -60.0);
    live.engine.collect();
}

TEST(EditsUnderSound, APlanArrivesOnItsBeatToTheSample) {
    const TempFolder folder;
    test::writeMono(folder / "steady.wav", std::vector<float>(5 * 48000, kSteadyLevel));
    Session s = test::oneElement(folder / "steady.wav");
    s = withValue(std::move(s), "one", "compressor", "look-ahead", 2.0);
    s = withStageOn(std::move(s), "one", "compressor", false);
    const Session softer = withValue(s, "one", "seat", "level", -20.0);
    for (const Frames beat : {Frames{24000}, Frames{24037}, Frames{31999}}) {
        Live live(s);
        const std::vector<float> before = live.playFrom(0.0, 9600);
        // Two are asked for: the later one is heard.
        const std::uint32_t same = live.engine.keep(compile(s, test::sharedStore()), kEditRate),
                            other =
                                live.engine.keep(compile(softer, test::sharedStore()), kEditRate);
        live.engine.listen({same, -1, 0.0, beat});
        live.engine.listen({other, -1, 0.0, beat});
        const std::vector<float> heard = live.take(48000);
        std::size_t first = 0;
        while (first < heard.size() && heard[first] == before.back()) ++first;
        // The fade begins with the beat; its first step is below what a float can show.
        EXPECT_NEAR(static_cast<double>(first) + 9600.0, static_cast<double>(beat), 4.0);
        EXPECT_NEAR(heard.back(), kSteadyLevel * static_cast<float>(gainFromDb(-20.0)), 1e-4F);
    }
    // Standing still there is no beat to wait for, and one that is passed by is not waited for.
    Live still(s);
    still.engine.listen(
        {still.engine.keep(compile(softer, test::sharedStore()), kEditRate), -1, 0.0, 24000});
    still.take(4800);
    EXPECT_NEAR(still.playFrom(0.0, 4800).back(),
                kSteadyLevel * static_cast<float>(gainFromDb(-20.0)), 1e-4F);
    Live passed(s);
    passed.playFrom(0.5, 9600);
    passed.engine.listen(
        {passed.engine.keep(compile(softer, test::sharedStore()), kEditRate), -1, 0.0, 100});
    EXPECT_NEAR(passed.take(9600).back(), kSteadyLevel * static_cast<float>(gainFromDb(-20.0)),
                1e-4F);
}

TEST(EditsUnderSound, NoPlanIsEverLost) {
    const TempFolder folder;
    test::writeMono(folder / "tone.wav", test::sine(100.0, 0.5, 4800, kEditRate));
    const Session s = test::oneElement(folder / "tone.wav");
    AudioStore& store = test::sharedStore();
    const auto clip = store.open(s.rows[0].sources[0].file, 48000);
    const long before = clip.use_count();
    {
        Live live(s);
        // Far more than may wait, and nobody collects while they are played.
        for (int n = 0; n < 700; ++n) live.engine.setPlan(compile(s, store), kEditRate);
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
        live.engine.setPlan(std::move(plan), kEditRate);
        const test::AllocationGuard guard;
        for (int n = 0; n < 20; ++n) live.engine.process(left.data(), right.data(), 240);
        allocated += guard.count();
    }
    EXPECT_EQ(allocated, 0U);
}

// Random chains on a low tone: whatever is added, moved or taken away, no click.
TEST(EditsUnderSound, NeverClick) {
    const TempFolder folder;
    test::writeMono(folder / "tone.wav", test::sine(100.0, 0.25, 20 * 48000, kEditRate));
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
            live.engine.setPlan(compile(s, test::sharedStore()), kEditRate);
            for (const float x : live.take(4800)) out.push_back(x);
        }
        const double click =
            test::peakAboveDb(std::vector<float>(out.begin() + 2400, out.end()), 3000.0, kEditRate);
        RC_ASSERT(click < -60.0);
        live.engine.collect();
    }));
}

}  // namespace
}  // namespace ember
