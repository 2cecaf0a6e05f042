// Advice on buses: what is read from the mix, what is proposed in each school, and that what was
// foretold holds when the mix is played.
#include "core/advise/bus.h"

#include "core/advise/bus_figures.h"
#include "core/advise/ready_bus.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/measure/level/loudness.h"
#include "core/session/routing.h"
#include "tests/support/measured_kit.h"
#include "tests/support/proposals.h"
#include "tests/support/recorded_kit.h"

#include <cmath>

namespace ember {
namespace {

// The demo kit with its rows decided by the first pass.
const Session& decidedRows() {
    static const Session decided = [] {
        const test::MeasuredKit& kit = test::measuredKit();
        Session s = kit.session;
        for (const Proposal& p : advise(s, kit.kit, s.ways))
            s = accept(std::move(s), p, kit.kit.strokes);
        return s;
    }();
    return decided;
}

struct BusesAccepted {
    std::vector<Proposal> proposals;  // with what was measured
    Session session;
};

BusesAccepted acceptBuses(const Session& session, const KitMeasurement& kit, BusSchool school) {
    AudioStore& store = test::sharedStore();
    BusesAccepted out;
    out.session = session;
    out.proposals = adviseBus(session, hearBuses(session, store, kit.strokes.strokes), kit, school);
    for (const Proposal& p : out.proposals) {
        EXPECT_FALSE(isAccepted(out.session, p)) << p.id;
        out.session = accept(std::move(out.session), p, kit.strokes);
        EXPECT_TRUE(isAccepted(out.session, p)) << p.id;
    }
    const BusHeard heard = hearBuses(out.session, store, kit.strokes.strokes);
    for (Proposal& p : out.proposals) measureBusEffects(p, out.session, heard);
    return out;
}

void expectForetold(const BusesAccepted& accepted, const char* which) {
    for (const Proposal& p : accepted.proposals) {
        for (const Effect& e : p.effects) {
            ASSERT_TRUE(e.predicted && e.measured) << p.id;
            // Sides that are nearly silent are told by whatever little is left of them.
            if (e.kind == EffectKind::sideBand && *e.predicted < -40.0) {
                EXPECT_LT(*e.measured, -40.0) << which << " " << p.id << ", " << e.what;
                continue;
            }
            EXPECT_NEAR(*e.measured, *e.predicted, 1.0) << which << " " << p.id << ", " << e.what;
            std::printf("%s %s, %s: %.1f -> %.1f, measured %.1f %s\n", which, p.id.c_str(),
                        e.what.c_str(), e.before.value_or(NAN), *e.predicted, *e.measured,
                        e.unit.c_str());
        }
    }
}

TEST(BusAdvice, TellsSidesFromTheMiddle) {
    const std::size_t frames = 96000;
    AudioBuffer audio{48000.0, {std::vector<float>(frames), std::vector<float>(frames)}};
    const auto low = test::sine(80.0, 0.2, frames, 48000.0),
               high = test::sine(3000.0, 0.2, frames, 48000.0);
    for (std::size_t i = 0; i < frames; ++i) {
        // Lows: middle alone with a tenth at the sides; highs: sides alone.
        audio.channels[0][i] = 1.1F * low[i] + high[i];
        audio.channels[1][i] = 0.9F * low[i] - high[i];
    }
    EXPECT_NEAR(sidesDb(halvesOf(audio, 20.0, 120.0)), -20.0, 0.1);
    EXPECT_NEAR(10.0 * std::log10(halvesOf(audio, 20.0, 120.0).middle),
                20.0 * std::log10(0.2) - 3.01, 0.1);
    EXPECT_GT(sidesDb(halvesOf(audio, 2000.0, 4000.0)), 60.0);
    EXPECT_EQ(sidesDb({1.0, 0.0}), kSilenceDb);
    // On one loudspeaker the highs are gone: half of it but a hundredth of the lows.
    EXPECT_NEAR(monoCostDb(audio), 10.0 * std::log10(2.01), 0.02);
    audio.channels[1] = audio.channels[0];
    EXPECT_NEAR(monoCostDb(audio), 0.0, 1e-9);
    EXPECT_EQ(monoCostDb(silenceLike(audio)), 0.0);
}

TEST(BusAdvice, GluesGentlyAndSetsIntoASpaceAsForetold) {
    const KitMeasurement& kit = test::measuredKit().kit;
    const BusesAccepted done = acceptBuses(decidedRows(), kit, BusSchool::glue);
    expectForetold(done, "glue");
    const Proposal* glue = test::find(done.proposals, "drum-bus.bus.glue");
    ASSERT_NE(glue, nullptr);
    EXPECT_NE(glue->reason.find("drives it"), std::string::npos) << glue->reason;
    EXPECT_NEAR(*glue->effects[1].measured, *glue->effects[1].before, 0.3) << "as loud as before";
    ASSERT_NE(test::find(done.proposals, "drum-bus.bus.plate"), nullptr);
    ASSERT_NE(test::find(done.proposals, "drum-bus.bus.room"), nullptr);
    EXPECT_EQ(test::find(done.proposals, "drum-bus.bus.press"), nullptr);
    for (const Proposal& p : done.proposals) EXPECT_EQ(p.school, "gentle glue and space");
    // Asked once more, nothing of it comes again.
    for (const Proposal& p :
         adviseBus(done.session, hearBuses(done.session, test::sharedStore(), kit.strokes.strokes),
                   kit, BusSchool::glue))
        ADD_FAILURE() << p.id << ": " << p.reason;
}

TEST(BusAdvice, PressesAndBendsBesideADryMixAsForetold) {
    const KitMeasurement& kit = test::measuredKit().kit;
    const BusesAccepted done = acceptBuses(decidedRows(), kit, BusSchool::parallels);
    expectForetold(done, "parallels");
    const Proposal* press = test::find(done.proposals, "drum-bus.bus.press");
    ASSERT_NE(press, nullptr);
    EXPECT_NEAR(*press->effects[0].measured - *press->effects[0].before, -2.0, 0.5)
        << "the body came up against the attack";
    ASSERT_NE(test::find(done.proposals, "drum-bus.bus.dirt"), nullptr);
    for (const Proposal& p : done.proposals) {
        for (const Effect& e : p.effects) {
            if (e.kind == EffectKind::band) {
                EXPECT_GT(*e.measured, -0.3) << p.id << " costs the low end";
            }
        }
    }
    EXPECT_EQ(test::find(done.proposals, "drum-bus.bus.plate"), nullptr) << "it stays dry";
}

TEST(BusAdvice, BringsASpreadKickBackWhereItComesFrom) {
    const KitMeasurement& kit = test::measuredKit().kit;
    // With the room closed, which spreads it more.
    Session s = withValue(decidedRows(), "kick-out", "seat", "pan", -60.0);
    requireRow(s, "room").mute = true;
    const BusesAccepted done = acceptBuses(s, kit, BusSchool::parallels);
    const Proposal* middle = test::find(done.proposals, "kick-out.bus.middle");
    ASSERT_NE(middle, nullptr);
    EXPECT_NE(middle->reason.find("Kick Out"), std::string::npos) << middle->reason;
    EXPECT_GT(*middle->effects[0].before, -20.0);
    EXPECT_LT(*middle->effects[0].measured, *middle->effects[0].before - 6.0);
    expectForetold(done, "spread kick");
}

TEST(BusAdvice, RoutesWhatGoesPastItsBusAndLeavesWhatWasDeclined) {
    const KitMeasurement& kit = test::measuredKit().kit;
    Session s = withBus(decidedRows(), "snare-top", "main");
    const BusesAccepted done = acceptBuses(s, kit, BusSchool::glue);
    const Proposal* route = test::find(done.proposals, "snare-top.bus.route");
    ASSERT_NE(route, nullptr);
    EXPECT_EQ(findRow(done.session, "snare-top")->parent, "snare-bus");
    s.declined = {"snare-top.bus.route", "drum-bus.bus.glue"};
    const std::vector<Proposal> rest =
        adviseBus(s, hearBuses(s, test::sharedStore(), kit.strokes.strokes), kit, BusSchool::glue);
    EXPECT_EQ(test::find(rest, "snare-top.bus.route"), nullptr);
    EXPECT_EQ(test::find(rest, "drum-bus.bus.glue"), nullptr);
}

TEST(BusAdvice, HoldsOnDrumsThatWereRecorded) {
    const test::RecordedKit kit =
        test::recordedKit(test::Half::judged, 0, demo::MicSet::full, 30.0, true);
    const test::MeasuredKit measured(kit.options, kit.sound);
    Session s = measured.session;
    for (const Proposal& p : advise(s, measured.kit, s.ways))
        s = accept(std::move(s), p, measured.kit.strokes);
    for (const BusSchool school : {BusSchool::glue, BusSchool::parallels}) {
        const BusesAccepted done = acceptBuses(s, measured.kit, school);
        EXPECT_GE(done.proposals.size(), 2u);
        expectForetold(done, school == BusSchool::glue ? "recorded, glue" : "recorded, parallels");
    }
}

TEST(ReadyBuses, AreFoundAgainByTheirName) {
    Session s = withReadyBus(decidedRows(), "dirt");
    EXPECT_EQ(readyBusIn(s, "dirt"), "dirt");
    s = withReadyBus(std::move(s), "dirt");
    EXPECT_EQ(readyBusIn(s, "dirt"), "dirt-2");
    EXPECT_EQ(readyBusIn(s, "press"), "");
    EXPECT_TRUE(findStage(*findRow(s, "dirt"), "saturation")->on);
}

}  // namespace
}  // namespace ember
