// Nothing is proposed that would change nothing: made-up kits that need a step, and the same ones
// where they do not.

#include "core/advise/common.h"
#include "tests/support/model_stroke.h"
#include "tests/support/proposals.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

using test::find;

// A kick in two microphones and a hat, measured to be like this.
class Worth : public testing::Test {
  protected:
    Worth() : session(test::shortSession()) {
        for (const char* mic : {"kick-out", "kick-in"}) {
            DrumTone tone;
            tone.drum = "kick";
            tone.mic = mic;
            tone.strokes = 30;
            tone.fundamental = 54.0;
            tone.decayT60 = 0.4;
            tone.transientToBodyDb = 4.0;
            // A note, and little above it.
            for (double f = 25.0; f < 20000.0; f *= std::exp2(1.0 / 3.0)) {
                tone.median.frequency.push_back(f);
                tone.median.level.push_back(-5.0 * std::abs(std::log2(f / 54.0)));
            }
            tone.highestHertz = 3000.0;
            tone.typical = {test::modelStroke(tone)};
            (kit.tone.empty() ? kit.tone : kit.twins).push_back(tone);
        }
        for (const char* row : {"kick-in", "kick-out", "hat"}) {
            SignalLevels l;
            l.row = row;
            for (double f = 20.0; f < 20000.0; f *= std::exp2(1.0 / 3.0)) {
                l.spectrum.frequency.push_back(f);
                l.spectrum.level.push_back(f < 200.0 ? -60.0 : -20.0);
            }
            kit.levels.push_back(l);
        }
        PhasePair pair;
        pair.drum = "kick";
        pair.mic = "kick-out";
        pair.reference = "kick-in";
        pair.delaySamples = 3.0;
        pair.delaySure = true;
        pair.polarity = 1;
        pair.coherence = 0.9;
        pair.mainHertz = 63.0;
        pair.strokes = 30;
        pair.bands = {{63.0, -0.1, -0.1}, {2000.0, -0.4, -0.1}};
        kit.phase = {pair};
    }
    Session session;
    KitMeasurement kit;
};

TEST_F(Worth, AnAlignmentThatNoBandGainsFromIsNone) {
    const auto proposed = [&] {
        return find(adviseAlign(session, kit, AlignSchool::withinDrum), "kick-out.align") !=
               nullptr;
    };
    EXPECT_FALSE(proposed());
    kit.phase.front().bands.back().nowDb = -0.7;
    EXPECT_TRUE(proposed()) << "the click gains";
    kit.phase.front().bands.back().nowDb = -0.1;
    kit.phase.front().polarity = -1;
    EXPECT_TRUE(proposed()) << "the other way up";
}

TEST_F(Worth, AnAlignmentThatLosesMoreThanItGainsIsNoneAndALossIsTold) {
    const auto proposed = [&] {
        const auto all = adviseAlign(session, kit, AlignSchool::withinDrum);
        const Proposal* p = find(all, "kick-out.align");
        return p == nullptr ? std::string() : p->reason;
    };
    // 250 Hz gains 1.3 dB, and the click loses far more.
    kit.phase.front().bands = {{250.0, -3.5, -2.2}, {1000.0, -1.5, -6.6}};
    EXPECT_EQ(proposed(), "");
    kit.phase.front().bands = {{250.0, -3.5, -0.2}, {1000.0, -1.5, -3.6}};
    EXPECT_NE(proposed().find("Their sum loses 2.1 dB around 1000 Hz."), std::string::npos)
        << proposed();
    kit.phase.front().bands.back().alignedDb = -1.7;
    EXPECT_EQ(proposed().find("loses"), std::string::npos) << "which nobody hears";
}

TEST_F(Worth, NothingIsMovedByADelayNobodyIsSureOf) {
    kit.phase.front().bands.back().nowDb = -0.7;
    kit.phase.front().delaySure = false;
    EXPECT_EQ(find(adviseAlign(session, kit, AlignSchool::withinDrum), "kick-out.align"), nullptr);
    // To the overheads it goes along with its drum's reference, whose delay is sure.
    for (const char* mic : {"kick-in", "overhead"}) {
        PhasePair pair = kit.phase.front();
        pair.mic = mic;
        pair.delaySamples = pair.mic == pair.reference ? 0.0 : 200.0;
        pair.delaySure = true;
        kit.phase.push_back(pair);
    }
    const auto delayOf = [&](const char* id) {
        const auto all = adviseAlign(session, kit, AlignSchool::toOverheads);
        const Proposal* p = find(all, id);
        return p == nullptr ? -1.0 : p->moves.front().value * session.sampleRate / 1000.0;
    };
    EXPECT_NEAR(delayOf("kick-in.align"), 200.0, 0.01);
    EXPECT_NEAR(delayOf("kick-out.align"), 200.0, 0.01) << "together";
    kit.phase.front().delaySure = true;
    EXPECT_NEAR(delayOf("kick-out.align"), 197.0, 0.01);
    kit.phase.back().delaySure = false;
    EXPECT_EQ(delayOf("kick-in.align"), -1.0) << "nor by the overheads'";
}

TEST_F(Worth, AKickIsHighPassedForRumbleOnly) {
    const auto proposed = [&] {
        const auto all = adviseRepair(session, kit);
        const Proposal* p = find(all, "kick-in.repair");
        return p != nullptr && p->title.find("High-pass") != std::string::npos;
    };
    EXPECT_FALSE(proposed());
    kit.levels.front().rumbleDb = -20.0;
    EXPECT_TRUE(proposed());
}

TEST_F(Worth, AHatIsHighPassedForWhatBleedsIntoIt) {
    kit.tone.push_back(kit.tone.front());
    DrumTone& hat = kit.tone.back();
    hat.drum = "hihat";
    hat.mic = "hat";
    hat.fundamental = 0.0;
    for (std::size_t i = 0; i < hat.median.frequency.size(); ++i)
        hat.median.level[i] = hat.median.frequency[i] < 300.0 ? -70.0 : -10.0;
    EXPECT_EQ(find(adviseRepair(session, kit), "hat.repair"), nullptr);
    for (std::size_t i = 0; i < 4; ++i) kit.levels.back().spectrum.level[i] = -10.0;
    EXPECT_NE(find(adviseRepair(session, kit), "hat.repair"), nullptr);
}

TEST_F(Worth, ALowPassNeedsCymbalsUpThere) {
    const auto proposed = [&] {
        const auto all = adviseRepair(session, kit);
        const Proposal* p = find(all, "kick-out.repair");
        return p != nullptr && p->title.find("ow-pass") != std::string::npos;
    };
    kit.bleed = {{"kick", "kick-out", -10.0, 0.0, 30}, {"snare", "kick-out", -18.0, -8.0, 30}};
    EXPECT_FALSE(proposed()) << "a snare bleeds lower down";
    kit.bleed.push_back({"cymbal", "kick-out", -38.0, -28.0, 30});
    EXPECT_TRUE(proposed());
    kit.bleed.back().relativeDb = -45.0;
    EXPECT_FALSE(proposed()) << "hardly heard";
}

}  // namespace
}  // namespace ember
