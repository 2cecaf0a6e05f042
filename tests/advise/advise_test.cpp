// Proposals on the demo kit: what they say, what accepting them does, and that the figures are
// measured.

#include "core/advise/proposal.h"
#include "core/dsp/dynamic_band.h"
#include "tests/support/accuracy.h"
#include "tests/support/measured_kit.h"
#include "tests/support/proposals.h"
#include "tests/support/support.h"

#include <algorithm>
#include <set>

namespace ember {
namespace {

using test::find;

const Effect& effect(const Proposal& p, const std::string& what) {
    for (const Effect& e : p.effects) {
        if (e.what.starts_with(what)) return e;
    }
    throw Error("no effect " + what);
}

TEST(Ways, AligningTurnsTheBottomMicrophoneAndBringsBackTheBody) {
    const test::MeasuredKit& m = test::measuredKit();
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
                   *sum.measured - *sum.before, "dB", *sum.measured - *sum.before >= 3.0);
    EXPECT_GE(*sum.measured, *sum.before + 3.0);
    EXPECT_NEAR(*sum.measured, *sum.predicted, 1.0);
    EXPECT_EQ(find(all, "kick-out.align"), nullptr)
        << "moved to the inner one its click would lose more than its body gains";
    EXPECT_EQ(find(all, "room.align"), nullptr) << "rooms stay where they are";
}

TEST(Ways, GatesByStrokesKeepEveryGhostAndTakeTheBleed) {
    const test::MeasuredKit& m = test::measuredKit();
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

TEST(Ways, AGateByLevelSaysWhatItLoses) {
    const test::MeasuredKit& m = test::measuredKit();
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

TEST(Ways, HighPassesLieUnderTheNoteAndRingsAreCut) {
    const test::MeasuredKit& m = test::measuredKit();
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
    // The strokes keep their energy, and how much is foretold.
    const Effect& level = effect(p, "level of its strokes");
    ASSERT_TRUE(level.measured && level.predicted);
    EXPECT_NEAR(*level.measured, *level.predicted, 1.0);
}

TEST(Ways, OverheadsKeepTheTomsThatHaveNoMicrophone) {
    const test::MeasuredKit& m = test::measuredKit();
    KitMeasurement rumbling = m.kit;
    for (SignalLevels& l : rumbling.levels) {
        if (l.row == "overhead") l.spectrum.level.front() = 0.0;  // all of it lies at 20 Hz
    }
    const auto corner = [&](const Session& session) {
        const auto all = adviseRepair(session, rumbling);
        const Proposal* p = find(all, "overhead.repair");
        if (p == nullptr) throw Error("no proposal for the overheads");
        for (const ParameterMove& move : p->moves) {
            if (move.parameter == "b1.frequency") return std::pair{move.value, p->reason};
        }
        throw Error("no corner");
    };
    Session reduced = m.session;
    std::erase_if(reduced.rows, [](const Row& row) {
        return row.role == Role::rackTom || row.role == Role::floorTom;
    });
    const auto [with, own] = corner(m.session);
    const auto [without, kept] = corner(reduced);
    EXPECT_LT(with, 196.0);
    EXPECT_LT(without, 81.0) << "under the floor tom's note";
    EXPECT_LT(without, with);
    EXPECT_NE(kept.find("overheads keep them"), std::string::npos);
    EXPECT_EQ(own.find("overheads keep them"), std::string::npos);
    // Where nothing lies below, nothing is cut.
    EXPECT_EQ(find(adviseRepair(reduced, m.kit), "overhead.repair"), nullptr);
}

TEST(Ways, ARingOnSomeStrokesOnlyIsCutWhileItRings) {
    KitMeasurement kit = test::measuredKit().kit;
    for (DrumTone& tone : kit.tone) {
        if (tone.drum == "snare") tone.rings = {{571.0, 10.0, 0.05, 0.5, -30.0}};
    }
    const auto all = adviseRepair(test::measuredKit().session, kit);
    const Proposal* p = find(all, "snare-top.repair");
    ASSERT_NE(p, nullptr);
    std::map<std::string, double> moves;
    for (const ParameterMove& move : p->moves) moves[move.parameter] = move.value;
    EXPECT_FALSE(moves.contains("b3.gain"));
    EXPECT_DOUBLE_EQ(moves.at("b3.range"), -7.0);
    // Half a dB for each dB over: the ring's own level is cut in full.
    EXPECT_DOUBLE_EQ(dynamicBandGain(-30.0, moves.at("b3.threshold"), moves.at("b3.range")), -7.0);
}

TEST(Ways, AnEqualiserThatAPersonSetIsNotWrittenOver) {
    const test::MeasuredKit& m = test::measuredKit();
    const Session own = withValue(m.session, "snare-top", "eq", "b1.frequency", 91.0);
    EXPECT_EQ(find(adviseRepair(own, m.kit), "snare-top.repair"), nullptr);
    const auto all = adviseRepair(m.session, m.kit);
    const Session accepted = accept(m.session, *find(all, "snare-top.repair"), m.kit.strokes);
    EXPECT_NE(find(adviseRepair(accepted, m.kit), "snare-top.repair"), nullptr)
        << "what was accepted still stands there with its figures";
}

TEST(Ways, LevelsMeetTheirTargetsAndPansFollowTheOverheads) {
    const test::MeasuredKit& m = test::measuredKit();
    const auto all = adviseSeat(m.session, m.kit);
    ASSERT_NE(find(all, "kick-in.seat"), nullptr);
    for (const char* id : {"kick-in.seat", "floor-tom.seat", "room.seat"}) {
        const Proposal* found = find(all, id);
        ASSERT_NE(found, nullptr) << id;
        Proposal p = *found;
        const Session accepted = accept(m.session, p, m.kit.strokes);
        measureEffects(p, accepted, m.kit, test::sharedStore());
        ASSERT_TRUE(p.effects.at(0).measured.has_value());
        EXPECT_NEAR(*p.effects.at(0).measured, *p.effects.at(0).predicted, 1.0) << id;
    }
    const auto pan = [&](const char* id) { return find(all, id)->moves.at(1).value; };
    EXPECT_EQ(pan("kick-in.seat"), 0.0);
    EXPECT_LT(pan("hat.seat") * pan("floor-tom.seat"), 0.0) << "they stand on opposite sides";
    // A target of one's own is followed.
    Session other = m.session;
    other.targets.push_back({"kick", true, TargetStrokes::loudest, -20.0});
    const auto again = adviseSeat(other, m.kit);
    EXPECT_NEAR(find(again, "kick-in.seat")->moves.at(0).value,
                find(all, "kick-in.seat")->moves.at(0).value - 6.0, 1e-9);
    // What a person has set is theirs.
    const Session set = withValue(m.session, "kick-in", "seat", "level", -3.0);
    EXPECT_EQ(find(adviseSeat(set, m.kit), "kick-in.seat"), nullptr);
}

TEST(Ways, CompressionIsProposedOnlyWhereStrokesAreUneven) {
    const test::MeasuredKit& m = test::measuredKit();
    for (const DynamicsSchool school : {DynamicsSchool::punch, DynamicsSchool::density}) {
        for (const Proposal& found : adviseDynamics(m.session, m.kit, school)) {
            Proposal p = found;
            measureEffects(p, accept(m.session, p, m.kit.strokes), m.kit, test::sharedStore());
            const Effect& punch = effect(p, "attack against body");
            ASSERT_TRUE(punch.measured.has_value());
            // No drum loses more punch than was said, but for half a dB.
            EXPECT_GT(*punch.measured,
                      *punch.before + std::min(0.0, *punch.predicted - *punch.before) - 0.5)
                << p.id;
        }
    }
    KitMeasurement even = m.kit;
    for (DrumTone& t : even.tone) t.levelSpreadDb = 0.4;
    for (const Proposal& p : adviseDynamics(m.session, even, DynamicsSchool::punch))
        EXPECT_NE(p.stageType.empty() ? "compressor" : p.stageType, "compressor") << p.id;
}

TEST(Ways, ColourIsAddedToTheChainOnlyInItsSchool) {
    const test::MeasuredKit& m = test::measuredKit();
    EXPECT_TRUE(adviseColour(m.session, m.kit, ColourSchool::clean).empty());
    const auto all = adviseColour(m.session, m.kit, ColourSchool::coloured);
    ASSERT_FALSE(all.empty());
    const Session accepted = accept(m.session, all.front(), m.kit.strokes);
    const Stage* added = findStage(*findRow(accepted, all.front().row), "saturation");
    ASSERT_NE(added, nullptr);
    EXPECT_TRUE(added->on);
    EXPECT_EQ(validate(accepted), "");
    Proposal p = all.front();
    measureEffects(p, accepted, m.kit, test::sharedStore());
    EXPECT_TRUE(p.effects.at(0).measured.has_value());
    EXPECT_LT(*p.effects.at(0).measured, *p.effects.at(0).before);
}

TEST(Ways, AFirstPassAcceptedWholeIsASoundSessionAndProposesNothingMore) {
    const test::MeasuredKit& m = test::measuredKit();
    Session session = m.session;
    const Ways how{AlignSchool::withinDrum, GateSchool::byStrokes, EqSchool::first,
                   DynamicsSchool::punch, ColourSchool::coloured};
    const auto all = advise(session, m.kit, how);
    std::set<std::string> steps;
    for (const Proposal& p : all) {
        steps.insert(p.step);
        session = accept(std::move(session), p, m.kit.strokes);
    }
    EXPECT_EQ(validate(session), "");
    // Buses and bleed are asked for by themselves.
    for (const std::string& step : advisedSteps())
        EXPECT_TRUE(steps.contains(step) || step == "dynamics" || step == "bus" || step == "bleed")
            << step;
    EXPECT_TRUE(adviseSeat(session, m.kit).empty());
}

TEST(Ways, WhatWasDeclinedStaysDeclined) {
    const test::MeasuredKit& m = test::measuredKit();
    Session session = m.session;
    session.declined.push_back("snare-top.gate");
    EXPECT_EQ(find(advise(session, m.kit), "snare-top.gate"), nullptr);
    EXPECT_NE(find(advise(m.session, m.kit), "snare-top.gate"), nullptr);
}

TEST(Measuring, ASecondTimeReadsTheCacheAndSaysTheSame) {
    const test::MeasuredKit& m = test::measuredKit();
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
    const test::MeasuredKit& m = test::measuredKit();
    test::TempFolder folder;
    AudioStore fresh(folder.path());
    EXPECT_THROW(
        measureKit(m.session, fresh,
                   [](double, const std::string& what) { return what != "Finding strokes"; }),
        Cancelled);
}

}  // namespace
}  // namespace ember
