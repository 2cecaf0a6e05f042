// What the advisers share, and proposals on made-up levels whose answer is known.

#include "core/advise/common.h"

#include "core/advise/foretell.h"
#include "core/dsp/compressor.h"
#include "core/dsp/gate.h"
#include "tests/support/model_stroke.h"
#include "tests/support/proposals.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using test::find;
using test::valueOf;

const Effect* effectOf(const Proposal& p, const std::string& what) {
    for (const Effect& e : p.effects) {
        if (e.what == what) return &e;
    }
    return nullptr;
}
TEST(Overwriting, CountsBandsOfAnEqualiserEachForItself) {
    Session s = test::shortSession();
    const auto eq = [&]() -> const Stage& { return *findStage(*findRow(s, "snare-top"), "eq"); };
    const std::vector<ParameterMove> third{{"b3.on", 1.0}, {"b3.frequency", 571.0}},
        fifth{{"b5.on", 1.0}, {"b5.frequency", 2000.0}};
    EXPECT_FALSE(wouldOverwrite(eq(), third)) << "nothing is decided yet";
    s = withValue(std::move(s), "snare-top", "eq", "b3.on", 1.0);
    s = withValue(std::move(s), "snare-top", "eq", "b3.frequency", 400.0);
    EXPECT_TRUE(wouldOverwrite(eq(), third));
    EXPECT_FALSE(wouldOverwrite(eq(), fifth)) << "a band that is off is free";
    s = withValue(std::move(s), "snare-top", "eq", "b3.frequency", 571.0);
    EXPECT_FALSE(wouldOverwrite(eq(), third)) << "it is what stands there";
    // Elsewhere any other value is theirs.
    s = withValue(std::move(s), "snare-top", "compressor", "ratio", 3.0);
    const Stage& compressor = *findStage(*findRow(s, "snare-top"), "compressor");
    EXPECT_TRUE(wouldOverwrite(compressor, {{"ratio", 4.0}}));
    EXPECT_FALSE(wouldOverwrite(compressor, {{"ratio", 3.0}}));
}

// A snare whose strokes and neighbours lie at given levels.
class MadeUpLevels : public testing::Test {
  protected:
    MadeUpLevels() : session(test::shortSession()) {
        DrumTone tone;
        tone.drum = "snare";
        tone.mic = "snare-top";
        tone.strokes = 40;
        tone.fundamental = 196.0;
        tone.decayT60 = 0.24;
        tone.bodySeconds = 0.07;
        tone.crestDb = 16.0;
        tone.transientMs = 10.0;
        tone.shortestGap = 0.12;
        tone.transientToBodyDb = 4.0;
        tone.levelSpreadDb = 3.0;
        tone.typical = {test::modelStroke(tone)};
        kit.tone = {tone};
        kit.bleed = {{"snare", "snare-top", -12.0, 0.0, 30},
                     {"kick", "snare-top", -30.0, -18.0, 30}};
        for (int n = 0; n < 40; ++n)
            kit.strokes.strokes.push_back({0.5 * n, "snare", "snare-top", 0.8, 0.0,
                                           n % 4 == 3 ? StrokeKind::ghost : StrokeKind::normal, 1.0,
                                           false});
    }
    // Strokes between two levels, ghosts between two others, bleed up to a level.
    void lay(double low, double high, double ghostLow, double ghostHigh, double bleed) {
        Separation s;
        s.drum = "snare";
        s.mic = "snare-top";
        for (int n = 0; n < 30; ++n) s.ownDb.push_back(low + (high - low) * n / 29.0);
        for (int n = 0; n < 10; ++n) {
            s.ghostDb.push_back(ghostLow + (ghostHigh - ghostLow) * n / 9.0);
            s.ownDb.push_back(s.ghostDb.back());
        }
        for (int n = 0; n < 50; ++n) s.bleedDb.push_back(bleed - 12.0 * n / 49.0);
        s.marginDb = ghostLow - bleed;
        kit.separation = {s};
    }
    Session session;
    KitMeasurement kit;
};

TEST_F(MadeUpLevels, AThresholdLiesBetweenWhatIsApart) {
    lay(-14.0, -8.0, -30.0, -26.0, -44.0);
    const auto all = adviseGate(session, kit, GateSchool::byLevel);
    const Proposal* p = find(all, "snare-top.gate");
    ASSERT_NE(p, nullptr);
    EXPECT_LT(valueOf(*p, "threshold"), -30.0);
    EXPECT_GT(valueOf(*p, "threshold"), -44.0);
    EXPECT_NEAR(*effectOf(*p, "ghost notes kept")->predicted, 100.0, 1e-9);
    EXPECT_NEAR(*effectOf(*p, "neighbours' strokes that open it")->predicted, 0.0, 1e-9);
    EXPECT_NEAR(*effectOf(*p, "bleed between strokes")->predicted, valueOf(*p, "floor"), 1e-9);
    EXPECT_GT(p->confidence, 0.8);
    // The drum is let speak until 20 dB are gone.
    EXPECT_NEAR(valueOf(*p, "release"), 1000.0 * 0.24 / 3.0, 1.0);
}

TEST_F(MadeUpLevels, ADrumWhoseNeighboursAreHardlyHeardGetsNoGate) {
    lay(-14.0, -8.0, -30.0, -26.0, -44.0);
    for (const auto school : {GateSchool::byStrokes, GateSchool::byLevel}) {
        kit.bleed.back().relativeDb = -20.0;
        EXPECT_FALSE(adviseGate(session, kit, school).empty());
        kit.bleed.back().relativeDb = -28.0;
        EXPECT_TRUE(adviseGate(session, kit, school).empty());
    }
}

TEST_F(MadeUpLevels, WhereNeighboursOpenItLittleBleedIsForetoldToGo) {
    lay(-14.0, -8.0, -40.0, -30.0, -32.0);
    const auto all = adviseGate(session, kit, GateSchool::byLevel);
    const Proposal* p = find(all, "snare-top.gate");
    ASSERT_NE(p, nullptr);
    const double opened = *effectOf(*p, "neighbours' strokes that open it")->predicted / 100.0;
    EXPECT_GT(opened, 0.5);
    const double floor = std::pow(10.0, valueOf(*p, "floor") / 10.0);
    EXPECT_NEAR(*effectOf(*p, "bleed between strokes")->predicted,
                10.0 * std::log10(opened + (1.0 - opened) * floor), 1e-9);
    EXPECT_NE(p->reason.find("unsure"), std::string::npos) << p->reason;
    EXPECT_LT(p->confidence, 0.8);
    // Strokes as key keep them all, and say what a level would have cost.
    const auto strokes = adviseGate(session, kit, GateSchool::byStrokes);
    const Proposal* q = find(strokes, "snare-top.gate");
    ASSERT_NE(q, nullptr);
    EXPECT_EQ(valueOf(*q, "key-source"), 1.0);
    EXPECT_NE(q->reason.find("10 of them ghosts"), std::string::npos) << q->reason;
    EXPECT_NE(q->reason.find("would keep only"), std::string::npos) << q->reason;
    EXPECT_EQ(valueOf(*q, "stroke-length"), 80.0);
}

TEST_F(MadeUpLevels, CompressionFollowsStrokesAttackAndGap) {
    lay(-18.0, -8.0, -30.0, -26.0, -44.0);
    for (const auto school : {DynamicsSchool::punch, DynamicsSchool::density}) {
        const auto all = adviseDynamics(session, kit, school);
        const Proposal* p = find(all, "snare-top.dynamics");
        ASSERT_NE(p, nullptr);
        const bool punch = school == DynamicsSchool::punch;
        EXPECT_NEAR(valueOf(*p, "attack"), punch ? 12.0 : 1.0, 1e-9);
        EXPECT_NEAR(valueOf(*p, "release"), 40.0, 1e-9) << "a third of the shortest gap";
        // The usual stroke is reduced by what the spread asks for, as the processor itself says.
        const std::vector<double> usual{-13.0};
        const auto heard = throughProcessor(kit.tone.front(), "compressor",
                                            withMoves("compressor", p->moves), usual);
        EXPECT_NEAR(heard.front().gainDb, -4.5, 0.3);
        EXPECT_NE(p->reason.find("ratio 2 to 4 to control"), std::string::npos);
        const Effect* punchEffect = effectOf(*p, "attack against body");
        ASSERT_NE(punchEffect, nullptr);
        if (punch) {
            EXPECT_GT(*punchEffect->predicted, *punchEffect->before - 0.2)
                << "a slow attack presses the body more than the stick";
        }
        EXPECT_LT(*effectOf(*p, "spread of the strokes")->predicted,
                  *effectOf(*p, "spread of the strokes")->before + 0.01);
    }
    // Fast attacks take more of the beginning than slow ones.
    const auto punch = adviseDynamics(session, kit, DynamicsSchool::punch),
               density = adviseDynamics(session, kit, DynamicsSchool::density);
    EXPECT_GT(*effectOf(*find(punch, "snare-top.dynamics"), "attack against body")->predicted,
              *effectOf(*find(density, "snare-top.dynamics"), "attack against body")->predicted);
}

TEST_F(MadeUpLevels, ColourDrivesUsualStrokesToTheBend) {
    lay(-18.0, -8.0, -30.0, -26.0, -44.0);
    EXPECT_TRUE(adviseColour(session, kit, ColourSchool::clean).empty());
    const auto all = adviseColour(session, kit, ColourSchool::coloured);
    const Proposal* p = find(all, "snare-top.colour");
    ASSERT_NE(p, nullptr);
    EXPECT_NEAR(valueOf(*p, "drive"), 16.0, 0.6) << "3 dB over the usual −13 dBFS";
    EXPECT_EQ(p->stageType, "saturation");
    kit.tone.front().crestDb = 10.0;
    EXPECT_TRUE(adviseColour(session, kit, ColourSchool::coloured).empty()) << "no attack to spare";
}

TEST_F(MadeUpLevels, EvidenceIsTheDrumsOwnStrokes) {
    EXPECT_EQ(evidenceOf(kit, "snare", false).size(), 40U);
    EXPECT_EQ(evidenceOf(kit, "snare", true).size(), 30U);
    EXPECT_TRUE(evidenceOf(kit, "kick", false).empty());
    EXPECT_NE(toneIn(kit, "snare-top", "snare"), nullptr);
    EXPECT_EQ(toneIn(kit, "snare-bottom", "snare"), nullptr);
}

TEST(PunchEffect, IsSilentWhereNothingChanges) {
    DrumTone tone;
    tone.fundamental = 196.0;
    tone.decayT60 = 0.3;
    tone.transientToBodyDb = 5.0;
    tone.typical = {test::modelStroke(tone)};
    EXPECT_FALSE(punchEffect(tone, "eq", {{"b1.on", 0.0}}).has_value());
    const auto more = punchEffect(tone, "transient", {{"attack", 6.0}});
    ASSERT_TRUE(more.has_value());
    EXPECT_GT(*more->predicted, *more->before + 0.5);
    const auto less = punchEffect(tone, "eq", {{"b8.on", 1.0}, {"b8.frequency", 800.0}});
    ASSERT_TRUE(less.has_value());
    EXPECT_LT(*less->predicted, *less->before - 0.2) << "a low-pass takes the click";
}

}  // namespace
}  // namespace ember
