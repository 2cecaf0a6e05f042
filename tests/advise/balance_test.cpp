// Broad moves and shaping, on made-up measurements whose answer is known.

#include "core/advise/common.h"
#include "core/advise/foretell.h"
#include "core/advise/proposal.h"
#include "core/dsp/equaliser.h"
#include "tests/support/model_stroke.h"
#include "tests/support/proposals.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

using test::find;
using test::valueOf;

// Third octaves that fall by so much per octave above 60 Hz.
Spectrum falling(double dbPerOctave) {
    Spectrum s;
    for (double f = 25.0; f < 20000.0; f *= std::exp2(1.0 / 3.0)) {
        s.frequency.push_back(f);
        s.level.push_back(-10.0 - std::max(0.0, std::log2(f / 60.0)) * dbPerOctave);
    }
    return s;
}

DrumTone toneOf(const std::string& drum, const std::string& mic, double note) {
    DrumTone t;
    t.drum = drum;
    t.mic = mic;
    t.strokes = 30;
    t.fundamental = note;
    t.fundamentalConfidence = 0.9;
    t.median = falling(4.0);
    t.crestDb = 16.0;
    t.transientMs = 12.0;
    t.decayT60 = 0.25;
    t.shortestGap = 0.4;
    t.transientToBodyDb = 3.0;
    t.levelSpreadDb = 3.0;
    t.typical = {test::modelStroke(t)};
    return t;
}

// The short session with undecided steps, and a kit that was measured to be like this.
class Balance : public testing::Test {
  protected:
    Balance() : session(test::shortSession()) {
        kit.tone = {toneOf("kick", "kick-out", 62.0), toneOf("snare", "snare-top", 196.0)};
        kit.twins = {toneOf("kick", "kick-in", 0.0), toneOf("snare", "snare-bottom", 0.0)};
        Separation s;
        s.drum = "snare";
        s.mic = "snare-top";
        for (int n = 0; n < 40; ++n) {
            s.ownDb.push_back(-16.0 + 0.25 * (n % 24));
            kit.strokes.strokes.push_back(
                {0.5 * n, "snare", "snare-top", 0.8, 0.0, StrokeKind::normal, 1.0, false});
        }
        kit.separation = {s};
    }
    void raise(const std::string& mic, double from, double to, double db) {
        for (auto* list : {&kit.tone, &kit.twins}) {
            for (DrumTone& t : *list) {
                for (std::size_t i = 0; t.mic == mic && i < t.median.frequency.size(); ++i) {
                    if (t.median.frequency[i] >= from && t.median.frequency[i] <= to)
                        t.median.level[i] += db;
                }
            }
        }
    }
    Session session;
    KitMeasurement kit;
};

TEST_F(Balance, LowMidsThatStandOutAreCutAndOthersLeftAlone) {
    EXPECT_TRUE(adviseBalance(session, kit).empty()) << "an even kit needs none of it";
    raise("kick-out", 300.0, 520.0, 8.0);
    const auto all = adviseBalance(session, kit);
    const Proposal* p = find(all, "kick-out.low-mids");
    ASSERT_NE(p, nullptr);
    EXPECT_GT(valueOf(*p, "b6.frequency"), 280.0);
    EXPECT_LT(valueOf(*p, "b6.frequency"), 560.0);
    EXPECT_LT(valueOf(*p, "b6.gain"), -3.0);
    EXPECT_GE(valueOf(*p, "b6.gain"), -6.0);
    EXPECT_LT(p->effects.front().predicted.value_or(0.0), -2.0);
    EXPECT_EQ(find(all, "snare-top.low-mids"), nullptr);
    // A ring there is cut by itself.
    kit.tone.front().rings = {{410.0, 9.0, 0.2, 1.0, -20.0}};
    EXPECT_EQ(find(adviseBalance(session, kit), "kick-out.low-mids"), nullptr);
}

TEST_F(Balance, EachOfTwoMicrophonesKeepsWhatItHearsBetter) {
    raise("kick-in", 1800.0, 20000.0, 10.0);
    raise("snare-top", 20.0, 400.0, 10.0);
    const auto all = adviseBalance(session, kit);
    const Proposal* outside = find(all, "kick-out.twin");
    ASSERT_NE(outside, nullptr);
    EXPECT_EQ(valueOf(*outside, "b7.shape"), static_cast<double>(EqShape::highShelf));
    EXPECT_NEAR(valueOf(*outside, "b7.frequency"), 1800.0, 400.0);
    EXPECT_EQ(find(all, "kick-in.twin"), nullptr) << "it hears nothing worse";
    const Proposal* bottom = find(all, "snare-bottom.twin");
    ASSERT_NE(bottom, nullptr);
    EXPECT_EQ(valueOf(*bottom, "b7.shape"), static_cast<double>(EqShape::lowShelf));
    EXPECT_NEAR(valueOf(*bottom, "b7.frequency"), 400.0, 120.0);
    EXPECT_LT(bottom->effects.front().predicted.value_or(0.0), -2.0);
    // Accepting it leaves the other proposals for the same equaliser open.
    const Session accepted = accept(session, *bottom, kit.strokes);
    EXPECT_NE(find(adviseRepair(accepted, kit), "snare-top.repair"), nullptr);
    EXPECT_NE(find(adviseBalance(accepted, kit), "snare-bottom.twin"), nullptr);
}

TEST_F(Balance, WhatHeavyCuttingTookFromTheNoteIsOfferedBack) {
    EXPECT_TRUE(adviseGiveBack(session, kit).empty());
    Session cut = withValue(session, "snare-top", "eq", "b3.on", 1.0);
    cut = withValue(cut, "snare-top", "eq", "b3.frequency", 210.0);
    cut = withValue(cut, "snare-top", "eq", "b3.q", 0.8);
    cut = withValue(cut, "snare-top", "eq", "b3.gain", -6.0);
    const auto all = adviseGiveBack(cut, kit);
    const Proposal* p = find(all, "snare-top.note-back");
    ASSERT_NE(p, nullptr);
    EXPECT_NEAR(valueOf(*p, "b8.frequency"), 196.0, 1.0);
    EXPECT_GT(valueOf(*p, "b8.gain"), 0.9);
    EXPECT_LE(valueOf(*p, "b8.gain"), 3.0);
    // Once it stands there the proposal stays what it was.
    const Session accepted = accept(cut, *p, kit.strokes);
    const auto again = adviseGiveBack(accepted, kit);
    ASSERT_NE(find(again, "snare-top.note-back"), nullptr);
    EXPECT_EQ(find(again, "snare-top.note-back")->moves, p->moves);
}

TEST_F(Balance, WhatBendsHardGetsItsAttackBack) {
    Session bent = withStageAdded(session, "snare-top", "saturation");
    bent = withValue(bent, "snare-top", "saturation", "drive", 12.0);
    bent = withValue(bent, "snare-top", "saturation", "mix", 100.0);
    const auto all = adviseGiveBack(bent, kit);
    const Proposal* p = find(all, "snare-top.attack-back");
    ASSERT_NE(p, nullptr);
    EXPECT_GT(p->effects.front().predicted.value_or(0.0), *p->effects.front().before);
    const Session accepted = accept(bent, *p, kit.strokes);
    const Row& row = *findRow(accepted, "snare-top");
    EXPECT_GT(findStage(row, "transient") - row.chain.data(),
              findStage(row, "saturation") - row.chain.data());
    bent = withValue(bent, "snare-top", "saturation", "drive", 4.0);
    EXPECT_EQ(find(adviseGiveBack(bent, kit), "snare-top.attack-back"), nullptr);
}

TEST_F(Balance, TheEqualiserStandsWhereItsSchoolWantsIt) {
    const auto place = [](const Session& s, const char* stage) {
        const Row& row = *findRow(s, "snare-top");
        return findStage(row, stage) - row.chain.data();
    };
    const auto later = adviseRepair(session, kit, EqSchool::later);
    ASSERT_NE(find(later, "snare-top.repair"), nullptr);
    const Session moved = accept(session, *find(later, "snare-top.repair"), kit.strokes);
    EXPECT_GT(place(moved, "eq"), place(moved, "compressor"));
    EXPECT_EQ(validate(moved), "");
    // And back.
    const auto first = adviseRepair(moved, kit, EqSchool::first);
    const Session back = accept(moved, *find(first, "snare-top.repair"), kit.strokes);
    EXPECT_LT(place(back, "eq"), place(back, "compressor"));
}

TEST_F(Balance, ADrumOffTheNoteWantedOfItIsTuned) {
    EXPECT_TRUE(adviseTune(session, kit).empty());
    session = withNoteTarget(session, "snare", 208.0);
    const auto all = adviseTune(session, kit);
    ASSERT_EQ(all.size(), 2U) << "top and bottom microphone";
    EXPECT_NEAR(valueOf(all.front(), "tune"), 12.0 * std::log2(208.0 / 196.0), 0.01);
    const Session accepted = accept(session, all.front(), kit.strokes);
    EXPECT_EQ(accepted.strokes.get(), kit.strokes.strokes) << "strokes drive it";
    const Row& row = *findRow(accepted, "snare-top");
    EXPECT_GT(findStage(row, "stroke") - row.chain.data(),
              findStage(row, "gate") - row.chain.data());
    EXPECT_TRUE(adviseTune(withNoteTarget(session, "snare", 196.5), kit).empty());
}

TEST_F(Balance, TwoCompressorsShareTheWork) {
    const auto all = adviseDynamics(session, kit, DynamicsSchool::pair);
    const Proposal *fast = find(all, "snare-top.dynamics"),
                   *slow = find(all, "snare-top.dynamics-2");
    ASSERT_TRUE(fast != nullptr && slow != nullptr);
    EXPECT_LT(valueOf(*fast, "attack"), valueOf(*slow, "attack"));
    EXPECT_GT(valueOf(*fast, "ratio"), valueOf(*slow, "ratio"));
    EXPECT_GT(valueOf(*fast, "threshold"), valueOf(*slow, "threshold"));
    Session both = accept(session, *fast, kit.strokes);
    both = accept(std::move(both), *slow, kit.strokes);
    const Row& row = *findRow(both, "snare-top");
    ASSERT_NE(findStage(row, "compressor-2"), nullptr);
    EXPECT_EQ(findStage(row, "compressor-2") - findStage(row, "compressor"), 1);
    EXPECT_EQ(adviseDynamics(both, kit, DynamicsSchool::pair).size(), all.size())
        << "what was accepted stays with its figures";
}

TEST_F(Balance, ADrumWithoutAttackIsShapedInsteadOfPressed) {
    DrumTone& snare = kit.tone.back();
    snare.crestDb = 8.0;
    auto all = adviseDynamics(session, kit, DynamicsSchool::punch);
    EXPECT_EQ(find(all, "snare-top.dynamics"), nullptr);
    const Proposal* p = find(all, "snare-top.shape");
    ASSERT_NE(p, nullptr);
    EXPECT_GT(valueOf(*p, "attack"), 0.0);
    EXPECT_EQ(valueOf(*p, "sustain"), 0.0);
    EXPECT_GT(p->effects.front().predicted.value_or(0.0), *p->effects.front().before);
    snare.crestDb = 16.0;
    snare.decayT60 = 1.6;  // strokes come every half second
    EXPECT_EQ(find(adviseDynamics(session, kit, DynamicsSchool::punch), "snare-top.shape"), nullptr)
        << "a body that does not outweigh the attack may ring on";
    snare.transientToBodyDb = -5.0;
    snare.typical = {test::modelStroke(snare)};
    all = adviseDynamics(session, kit, DynamicsSchool::punch);
    p = find(all, "snare-top.shape");
    ASSERT_NE(p, nullptr);
    EXPECT_LT(valueOf(*p, "sustain"), 0.0);
    EXPECT_EQ(valueOf(*p, "attack"), 0.0);
}

}  // namespace
}  // namespace ember
