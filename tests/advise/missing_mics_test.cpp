// What advice says where a microphone is missing, where low mids pile up in what hears the whole
// kit, and why nothing is proposed.

#include "core/advise/foretell.h"
#include "core/advise/proposal.h"
#include "core/base/error.h"
#include "core/dsp/compressor.h"
#include "tests/support/measured_kit.h"
#include "tests/support/proposals.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using test::find;
using test::valueOf;

Session without(Session session, Role role) {
    std::erase_if(session.rows, [&](const Row& r) { return r.role == role; });
    return session;
}

TEST(MissingMics, WithoutAHatMicrophoneTheSnaresGateLeavesMoreOfIt) {
    const test::MeasuredKit& kit = test::measuredKit();
    KitMeasurement loud = kit.kit;
    for (BleedLevel& b : loud.bleed) {
        if (b.mic == "snare-top" && b.drum == "hihat") b.relativeDb = -12.0;
    }
    const auto with = adviseGate(kit.session, loud, GateSchool::byStrokes),
               missing = adviseGate(without(kit.session, Role::hat), loud, GateSchool::byStrokes);
    const Proposal *a = find(with, "snare-top.gate"), *b = find(missing, "snare-top.gate");
    ASSERT_NE(a, nullptr);
    ASSERT_NE(b, nullptr);
    EXPECT_DOUBLE_EQ(valueOf(*a, "floor"), -20.0);
    EXPECT_DOUBLE_EQ(valueOf(*b, "floor"), -12.0);
    EXPECT_NE(b->reason.find("no microphone of its own"), std::string::npos);
    EXPECT_EQ(a->reason.find("no microphone of its own"), std::string::npos);
}

TEST(MissingMics, WithoutABottomMicrophoneNothingIsTakenFromTheSnaresTreble) {
    const test::MeasuredKit& kit = test::measuredKit();
    KitMeasurement dark = kit.kit;
    for (DrumTone& t : dark.tone) {
        if (t.drum != "snare") continue;
        // A snare so dark that a low-pass would be proposed.
        t.highestHertz = 3000.0;
        const double top = *std::max_element(t.median.level.begin(), t.median.level.end());
        for (std::size_t i = 0; i < t.median.frequency.size(); ++i) {
            if (t.median.frequency[i] > 5000.0) t.median.level[i] = top - 30.0;
        }
    }
    const auto with = adviseRepair(kit.session, dark),
               missing = adviseRepair(without(kit.session, Role::snareBottom), dark);
    const Proposal *a = find(with, "snare-top.repair"), *b = find(missing, "snare-top.repair");
    ASSERT_NE(a, nullptr);
    ASSERT_NE(b, nullptr);
    EXPECT_NO_THROW(valueOf(*a, "b2.frequency"));
    EXPECT_THROW(valueOf(*b, "b2.frequency"), Error) << "no low-pass";
    EXPECT_NE(b->reason.find("bottom microphone"), std::string::npos);
}

TEST(LowMids, AreSearchedInOverheadsAndRoomsToo) {
    const test::MeasuredKit& kit = test::measuredKit();
    KitMeasurement thick = kit.kit;
    for (SignalLevels& l : thick.levels) {
        for (std::size_t i = 0; i < l.spectrum.frequency.size(); ++i) {
            const double octaves = std::log2(l.spectrum.frequency[i] / 400.0);
            l.spectrum.level[i] =
                -40.0 + (l.row == "room" ? 8.0 * std::exp(-4.0 * octaves * octaves) : 0.0);
        }
    }
    const auto found = adviseBalance(kit.session, thick);
    const Proposal* room = find(found, "room.low-mids");
    ASSERT_NE(room, nullptr);
    EXPECT_NEAR(valueOf(*room, "b6.frequency"), 400.0, 20.0);
    EXPECT_LT(valueOf(*room, "b6.gain"), -4.0);
    ASSERT_EQ(room->effects.size(), 1U);
    EXPECT_LT(*room->effects.front().predicted, -2.0);
    EXPECT_EQ(find(found, "overhead.low-mids"), nullptr) << "flat ones are left alone";
    // Accepted, the effect is measured on the recordings as foretold.
    Proposal kept = *room;
    const Session accepted = accept(kit.session, kept, kit.kit.strokes);
    measureEffects(kept, accepted, kit.kit, test::sharedStore());
    ASSERT_TRUE(kept.effects.front().measured.has_value());
    EXPECT_NEAR(*kept.effects.front().measured, *kept.effects.front().predicted, 1.0);
    const Stage& eq = *findStage(*findRow(accepted, "room"), "eq");
    EXPECT_NE(eq.words.at("b6.why").find("Low mids cleared"), std::string::npos)
        << "a band keeps why it is there";
}

TEST(GiveBack, ReturnsLowsHighsAndAttackThatWereTaken) {
    const test::MeasuredKit& kit = test::measuredKit();
    const auto advised = [&](const Session& s) { return adviseGiveBack(s, kit.kit); };
    EXPECT_EQ(find(advised(kit.session), "snare-top.highs-back"), nullptr) << "nothing was taken";
    // Treble cut hard.
    Session s = withValue(kit.session, "snare-top", "eq", "b7.on", 1.0);
    s = withValue(std::move(s), "snare-top", "eq", "b7.shape", 2.0);
    s = withValue(std::move(s), "snare-top", "eq", "b7.frequency", 4000.0);
    s = withValue(std::move(s), "snare-top", "eq", "b7.gain", -9.0);
    const auto cut = advised(s);
    const Proposal* highs = find(cut, "snare-top.highs-back");
    ASSERT_NE(highs, nullptr);
    EXPECT_GT(*highs->effects.front().predicted, *highs->effects.front().before + 0.8);
    EXPECT_LE(valueOf(*highs, "b9.gain"), 3.0);
    // A snare crushed until grain crowds its note out; a kick keeps its note through any drive.
    s = withStageAdded(kit.session, "snare-top", "crusher");
    s = withValue(std::move(s), "snare-top", "crusher", "bits", 2.0);
    s = withStageAdded(std::move(s), "kick-in", "saturation");
    s = withValue(std::move(s), "kick-in", "saturation", "drive", 30.0);
    const auto bent = advised(s);
    EXPECT_EQ(find(bent, "kick-in.lows-back"), nullptr);
    const Proposal* lows = find(bent, "snare-top.lows-back");
    ASSERT_NE(lows, nullptr);
    Proposal kept = *lows;
    const Session accepted = accept(s, kept, kit.kit.strokes);
    EXPECT_EQ(validate(accepted), "");
    const Row& snare = *findRow(accepted, "snare-top");
    const auto place = [&](const char* id) {
        return std::find_if(snare.chain.begin(), snare.chain.end(),
                            [&](const Stage& stage) { return stage.id == id; });
    };
    EXPECT_LT(place("crusher"), place("eq-2")) << "behind the distortion";
    measureEffects(kept, accepted, kit.kit, test::sharedStore());
    EXPECT_GT(*kept.effects.front().measured, *kept.effects.front().before + 0.5);
    // A fast compressor that takes the attack.
    s = withValue(kit.session, "snare-top", "compressor", "threshold", -45.0);
    s = withValue(std::move(s), "snare-top", "compressor", "attack", 0.1);
    s = withValue(std::move(s), "snare-top", "compressor", "ratio", 8.0);
    const auto pressed = advised(s);
    const Proposal* attack = find(pressed, "snare-top.attack-back");
    ASSERT_NE(attack, nullptr);
    EXPECT_GT(valueOf(*attack, "attack"), 1.0);
    EXPECT_NE(attack->reason.find("Compressor takes"), std::string::npos);
}

TEST(NoCompression, IsExplainedWithSpreadCrestAndLimits) {
    const test::MeasuredKit& kit = test::measuredKit();
    KitMeasurement m = kit.kit;
    const Row& snare = *findRow(kit.session, "snare-top");
    ASSERT_NE(findStage(snare, "compressor")->mark, Mark::decided);
    const Session decided = withStageOn(kit.session, "snare-top", "compressor", true);
    EXPECT_NE(whyNoCompression(decided, m, *findRow(decided, "snare-top")).find("decided"),
              std::string::npos);
    const auto set = [&](double spread, double crest) {
        for (DrumTone& t : m.tone) {
            if (t.drum != "snare") continue;
            t.levelSpreadDb = spread;
            t.crestDb = crest;
        }
        return whyNoCompression(kit.session, m, snare);
    };
    EXPECT_NE(set(1.2, 20.0).find("within 1.2 dB"), std::string::npos);
    EXPECT_NE(set(1.2, 20.0).find("up to 2 dB"), std::string::npos);
    EXPECT_NE(set(4.0, 8.0).find("8.0 dB over the average (under 11 dB"), std::string::npos);
    EXPECT_NE(whyNoCompression(kit.session, m, *findRow(kit.session, "overhead")).find("whole kit"),
              std::string::npos);
    EXPECT_NE(whyNoCompression(kit.session, m, *findRow(kit.session, "hat")).find("Cymbals"),
              std::string::npos);
    EXPECT_EQ(whyNoCompression(kit.session, m, *findRow(kit.session, "main")), "");
}

TEST(ShaperLike, ChangesAttackAgainstBodyAsTheCompressorDoes) {
    const test::MeasuredKit& kit = test::measuredKit();
    int found = 0;
    for (const DrumTone& tone : kit.kit.tone) {
        if (tone.typical.empty()) continue;
        for (const double attack : {0.3, 25.0}) {
            std::vector<double> values = standardValues(processorType("compressor").table);
            values[Compressor::threshold] = -35.0;
            values[Compressor::attack] = attack;
            const auto shaper = shaperLike(tone, values);
            if (!shaper) continue;
            ++found;
            EXPECT_NEAR(changeThrough(tone, "transient", *shaper).transientToBodyDb,
                        changeThrough(tone, "compressor", values).transientToBodyDb, 0.3)
                << tone.drum << " " << attack;
        }
    }
    EXPECT_GE(found, 4);
}

}  // namespace
}  // namespace ember
