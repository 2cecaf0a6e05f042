// Curves in a plan: exact to the frame, the same however they are played, and without clicks.
#include "core/session/curves.h"

#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/session/routing.h"
#include "tests/engine/live.h"
#include "tests/support/random.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using test::Live;
using test::TempFolder;

constexpr double kPlanRate = 48000.0;
const CurvePlace kLevel{"one", "seat", "", "level"};

// Two elements, each in a bus of its own, at 120 quarters a minute: a quarter is 24 000 frames.
struct Kit {
    TempFolder folder;
    Session session;
    std::vector<float> one, two;

    explicit Kit(std::vector<float> first = test::noise(0.25, 4 * 48000, 3))
        : one(std::move(first)) {
        two = test::noise(0.25, one.size(), 4);
        test::writeMono(folder / "a.wav", one);
        test::writeMono(folder / "b.wav", two);
        session = withBusAdded(test::twoElements(folder / "a.wav", folder / "b.wav"), "plate");
        session.time = steadyTime(120.0);
    }
};

Curve ride() {
    return {"",
            true,
            0,
            {{0.0, -12.0, CurveShape::line},
             {1.0, 0.0, CurveShape::ease},
             {2.0, -20.0, CurveShape::hold},
             {3.013, -3.0, CurveShape::line},
             {5.0, -30.0, CurveShape::line}}};
}

std::vector<float> left(const Session& s, const RenderOptions& options = {}) {
    return renderMix(s, test::sharedStore(), options).channels[0];
}

TEST(CurvesInAPlan, MoveALevelExactlyToTheFrame) {
    const Kit kit;
    Session s = withValue(kit.session, "two", "seat", "level", -90.0);
    s = withCurve(s, kLevel, ride());
    const CurveLine line(*findCurve(s, kLevel), curveParameter(s, kLevel), s.time, kPlanRate, 10.0);
    const std::vector<float> out = left(s);
    ASSERT_EQ(out.size(), kit.one.size());
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double wanted =
            static_cast<double>(kit.one[i]) * gainFromDb(line.at(static_cast<double>(i)));
        ASSERT_NEAR(out[i], wanted, 1e-6) << i;
    }
}

TEST(CurvesInAPlan, AreTheSameForAnyBlockThreadsAndStart) {
    const Kit kit;
    Send send;
    send.to = "plate";
    Session s = withSend(kit.session, "one", send);
    s = withStageAdded(s, "plate", "saturation");
    s = withCurve(s, {"plate", "saturation", "", "drive"},
                  {"", true, 0, {{0.0, 0.0}, {4.0, 24.0}, {6.0, 3.0}}});
    s = withCurve(s, {"one", "", "plate", "level"}, ride());
    s = withCurve(s, kLevel, ride());
    s = withCurve(s, {"two", "seat", "", "pan"},
                  {"", true, 1, {{0.0, -100.0}, {2.0, 100.0, CurveShape::hold}}});
    const std::vector<float> out = left(s);
    for (const int block : {1, 63, 64, 1000})
        EXPECT_EQ(out, left(s, {1, block})) << "block " << block;
    RenderOptions part;
    part.from = 1.7;
    part.to = 3.1;
    const std::vector<float> later = left(s, part);
    const auto from = static_cast<std::size_t>(1.7 * kPlanRate);
    const std::vector<float> same(out.begin() + static_cast<std::ptrdiff_t>(from),
                                  out.begin() + static_cast<std::ptrdiff_t>(from + later.size()));
    EXPECT_LT(test::largestDifference(later, same), 1e-5);
}

// The largest difference between what is heard after a seek, from `behind` seconds on, and the
// render of that place; dBFS.
double seekDifferenceDb(const Session& s, double behind) {
    const std::vector<float> out = left(s);
    Live live(s);
    live.playFrom(0.3, 9600);
    double worst = 0.0;
    for (const double at : {2.0, 0.5, 1.28}) {
        const std::vector<float> heard = live.playFrom(at, 24000);
        for (std::size_t i = test::frameAt(behind); i < heard.size(); ++i)
            worst = std::max(worst, std::abs(static_cast<double>(heard[i]) -
                                             static_cast<double>(out[test::frameAt(at) + i])));
    }
    return dbFromGain(worst);
}

TEST(CurvesInAPlan, ASeekAgreesWithARender) {
    const Kit kit;
    // A level as soon as the places have faded into each other.
    EXPECT_LT(seekDifferenceDb(withCurve(kit.session, kLevel, ride()), 0.025), -140.0);
    // What glides, a fifth of a second later.
    Session s = withStageAdded(kit.session, "one", "saturation");
    // What follows the loudness over seconds depends on where one began.
    s = withValue(s, "one", "saturation", "match-level", 0.0);
    s = withValue(s, "one", "saturation", "output", -24.0);  // under the monitor's ceiling
    s = withCurve(s, {"one", "saturation", "", "drive"},
                  {"", true, 0, {{0.0, 0.0}, {4.0, 24.0}, {6.0, 3.0}}});
    EXPECT_LT(seekDifferenceDb(s, 0.2), -80.0);
}

TEST(CurvesInAPlan, ComeWhenTheSoundComes) {
    // What a bus with a late stage is sent, opens at its frame and not at the stage's delay.
    const Kit kit(std::vector<float>(2 * 48000, 0.25F));
    Session s = withValue(kit.session, "two", "seat", "level", -90.0);
    s = withStageAdded(s, "one", "gate");
    s = withValue(s, "one", "gate", "look-ahead", 7.0);
    s = withValue(s, "one", "gate", "threshold", -80.0);
    s = withValue(s, "one", "seat", "level", -90.0);
    Send send;
    send.to = "plate";
    send.before = true;
    s = withSend(s, "one", send);
    s = withCurve(s, {"one", "", "plate", "level"},
                  {"", true, 0, {{0.0, -90.0, CurveShape::hold}, {2.0, 0.0, CurveShape::hold}}});
    const std::vector<float> out = left(s);
    EXPECT_NEAR(out[47999], 0.0, 1e-6);
    EXPECT_GT(out[48000 + 40], 0.1F);
    EXPECT_NEAR(out[48000 + 49], 0.25, 1e-4);
}

TEST(CurvesInAPlan, StemsStillSumToTheMix) {
    const Kit kit;
    Send send;
    send.to = "plate";
    Session s = withSend(kit.session, "one", send);
    s = withCurve(s, {"one", "", "plate", "level"}, ride());
    s = withCurve(s, {"plate", "seat", "", "level"}, ride());
    s = withStageAdded(s, "left", "compressor");
    s = withCurve(s, {"left", "compressor", "", "threshold"},
                  {"", true, 0, {{0.0, 0.0}, {4.0, -40.0}}});
    s = withStageAdded(s, "right", "eq");
    s = withValue(s, "right", "eq", "b3.on", 1.0);
    s = withCurve(s, {"right", "eq", "", "b3.gain"}, {"", true, 0, {{0.0, -9.0}, {4.0, 9.0}}});
    const RenderReport report = renderStems(s, test::sharedStore(), {}, kit.folder / "stems");
    EXPECT_LT(report.stems.throughBusesDb, -120.0);
    EXPECT_LT(report.stems.preBusDb, -120.0);
}

TEST(CurvesInAPlan, DrawnUnderSoundNeverClick) {
    const Kit kit(test::sine(100.0, 0.25, 20 * 48000, kPlanRate));
    const Session first = withValue(kit.session, "two", "seat", "level", -90.0);
    EXPECT_TRUE(test::holdsFor(15, "curves drawn, moved and taken away under a tone", [&] {
        const auto steps = *rc::gen::container<std::vector<int>>(static_cast<std::size_t>(8),
                                                                 rc::gen::inRange(0, 100));
        Live live(first);
        Session s = first;
        auto out = live.playFrom(0.0, 9600);
        for (const int step : steps) {
            const CurvePlace place{"one", "seat", "", step % 2 == 0 ? "level" : "pan"};
            const bool level = step % 2 == 0;
            if (step % 5 == 0 && findCurve(s, place) != nullptr)
                s = withoutCurve(s, place);
            else
                s = withCurve(s, place,
                              {"",
                               true,
                               step % 3,
                               {{0.0, level ? -20.0 : -80.0},
                                {0.5 + 0.01 * step, level ? 0.0 : 60.0, CurveShape::ease}}});
            live.engine.setPlan(compile(s, test::sharedStore()), kPlanRate);
            for (const float x : live.take(4800)) out.push_back(x);
        }
        const double click =
            test::peakAboveDb(std::vector<float>(out.begin() + 2400, out.end()), 3000.0, kPlanRate);
        RC_ASSERT(click < -60.0);
        live.engine.collect();
    }));
}

TEST(CurvesInAPlan, AreKeptApartByWhatIsDrawn) {
    const Kit kit;
    const Session s = withCurve(kit.session, kLevel, ride());
    Session moved = s;
    Curve other = ride();
    other.points[1].value = -1.0;
    moved = withCurve(moved, kLevel, other);
    EXPECT_GT(test::largestDifference(left(s), left(moved)), 1e-3);
    other = ride();
    other.on = false;
    EXPECT_EQ(left(withCurve(s, kLevel, other)), left(kit.session));
}

}  // namespace
}  // namespace ember
