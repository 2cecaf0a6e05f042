// Proposals on the demo kit: what they say, what accepting them does, and that the figures are
// measured.

#include "core/advise/intake.h"
#include "core/advise/proposal.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <algorithm>

namespace ember {
namespace {

// The demo kit, measured once.
struct Measured {
    test::TempFolder folder;
    Session session;
    KitMeasurement kit;

    Measured() {
        demo::KitOptions options;
        options.seconds = 40.0;
        options.guests = false;
        demo::writeRecording(demo::record(options), folder / "kit");
        session =
            sessionFrom(takeIn({folder / "kit"}, test::sharedStore(), 104.0), test::sharedStore());
        kit = measureKit(session, test::sharedStore());
    }
};

const Measured& demoKit() {
    static const Measured measured;
    return measured;
}

const Proposal* find(const std::vector<Proposal>& all, const std::string& id) {
    const auto at =
        std::find_if(all.begin(), all.end(), [&](const Proposal& p) { return p.id == id; });
    return at == all.end() ? nullptr : &*at;
}

const Effect& effect(const Proposal& p, const std::string& what) {
    for (const Effect& e : p.effects) {
        if (e.what.starts_with(what)) return e;
    }
    throw Error("no effect " + what);
}

TEST(Advice, AligningTurnsTheBottomMicrophoneAndBringsBackTheBody) {
    const Measured& m = demoKit();
    const auto all = adviseAlign(m.session, m.kit, AlignSchool::withinDrum);
    const Proposal* bottom = find(all, "snare-bottom.align");
    ASSERT_NE(bottom, nullptr);
    Proposal p = *bottom;
    const Session accepted = accept(m.session, p, m.kit.strokes);
    const Stage& align = *findStage(*findRow(accepted, "snare-bottom"), "align");
    EXPECT_EQ(align.values[1], 1.0) << "polarity is turned";
    EXPECT_EQ(align.mark, Mark::decided);
    measureEffects(p, accepted, m.kit, test::sharedStore());
    const Effect& sum = effect(p, "sum at");
    ASSERT_TRUE(sum.measured && sum.before && sum.predicted);
    test::accuracy("advice: body of the snare after aligning, gain", ">= 3 dB",
                   -(*sum.measured - *sum.before), "dB", *sum.measured - *sum.before >= 3.0);
    EXPECT_GE(*sum.measured, *sum.before + 3.0);
    EXPECT_NEAR(*sum.measured, *sum.predicted, 1.0);
    EXPECT_NE(find(all, "kick-out.align"), nullptr);
    EXPECT_EQ(find(all, "room.align"), nullptr) << "rooms stay where they are";
}

TEST(Advice, GatesByStrokesKeepEveryGhostAndTakeTheBleed) {
    const Measured& m = demoKit();
    const auto all = adviseGate(m.session, m.kit, GateSchool::byStrokes);
    const Proposal* gate = find(all, "snare-top.gate");
    ASSERT_NE(gate, nullptr);
    Proposal p = *gate;
    const Session accepted = accept(m.session, p, m.kit.strokes);
    EXPECT_EQ(accepted.strokes.get(), m.kit.strokes.strokes);
    measureEffects(p, accepted, m.kit, test::sharedStore());
    const double kept = effect(p, "ghost").measured.value_or(0.0),
                 bleed = effect(p, "bleed").measured.value_or(0.0);
    test::accuracy("gate proposal: detected ghost notes lost", "<= 3 %", 100.0 - kept, "%",
                   kept >= 97.0);
    test::accuracy("gate proposal: bleed between strokes", "<= -12 dB", bleed, "dB",
                   bleed <= -12.0);
    EXPECT_GE(kept, 97.0);
    EXPECT_LE(bleed, -12.0);
    EXPECT_FALSE(p.evidence.empty());
    EXPECT_EQ(find(all, "overhead.gate"), nullptr) << "cymbals are not gated";
}

TEST(Advice, AGateByLevelSaysWhatItLoses) {
    const Measured& m = demoKit();
    const auto all = adviseGate(m.session, m.kit, GateSchool::byLevel);
    const Proposal* gate = find(all, "snare-top.gate");
    ASSERT_NE(gate, nullptr);
    Proposal p = *gate;
    const Effect& opened = effect(p, "neighbours");
    ASSERT_TRUE(opened.predicted.has_value());
    // The ghosts of the demo kit lie under the hat: both cannot be had, and it is said.
    EXPECT_GT(*opened.predicted, 0.0);
    EXPECT_NE(p.reason.find("overlap"), std::string::npos);
}

TEST(Advice, HighPassesLieUnderTheNoteAndRingsAreCut) {
    const Measured& m = demoKit();
    const auto all = adviseRepair(m.session, m.kit);
    const Proposal* snare = find(all, "snare-top.repair");
    ASSERT_NE(snare, nullptr);
    Proposal p = *snare;
    bool ring = false;
    for (const ParameterMove& move : p.moves) {
        if (move.parameter == "b1.frequency") {
            EXPECT_LT(move.value, 196.0);
        }
        ring = ring || (move.parameter == "b3.frequency" && std::abs(move.value - 571.0) < 6.0);
    }
    EXPECT_TRUE(ring) << "the demo snare rings at 571 Hz";
    const Session accepted = accept(m.session, p, m.kit.strokes);
    measureEffects(p, accepted, m.kit, test::sharedStore());
    const Effect& cut = effect(p, "ring at");
    ASSERT_TRUE(cut.measured.has_value());
    EXPECT_LT(*cut.measured, *cut.before - 6.0);
}

TEST(Advice, AnEqualiserThatAPersonSetIsNotWrittenOver) {
    const Measured& m = demoKit();
    const Session own = withValue(m.session, "snare-top", "eq", "b1.frequency", 91.0);
    EXPECT_EQ(find(adviseRepair(own, m.kit), "snare-top.repair"), nullptr);
    const auto all = adviseRepair(m.session, m.kit);
    const Session accepted = accept(m.session, *find(all, "snare-top.repair"), m.kit.strokes);
    EXPECT_NE(find(adviseRepair(accepted, m.kit), "snare-top.repair"), nullptr)
        << "what was accepted still stands there with its figures";
}

TEST(Advice, WhatWasDeclinedStaysDeclined) {
    const Measured& m = demoKit();
    Session session = m.session;
    session.declined.push_back("snare-top.gate");
    EXPECT_EQ(find(advise(session, m.kit), "snare-top.gate"), nullptr);
    EXPECT_NE(find(advise(m.session, m.kit), "snare-top.gate"), nullptr);
}

TEST(Measuring, ASecondTimeReadsTheCacheAndSaysTheSame) {
    const Measured& m = demoKit();
    int listened = 0;
    const auto strokes =
        measureSessionStrokes(m.session, test::sharedStore(), [&](double, const std::string& what) {
            listened += what == "Finding strokes" ? 1 : 0;
            return true;
        });
    EXPECT_EQ(strokes.strokes, m.kit.strokes.strokes);
    EXPECT_EQ(strokes.bleed, m.kit.strokes.bleed);
    EXPECT_EQ(listened, 0);
}

TEST(Measuring, CanBeCancelled) {
    const Measured& m = demoKit();
    test::TempFolder folder;
    AudioStore fresh(folder.path());
    EXPECT_THROW(
        measureKit(m.session, fresh,
                   [](double, const std::string& what) { return what != "Finding strokes"; }),
        Cancelled);
}

}  // namespace
}  // namespace ember
