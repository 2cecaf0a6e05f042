// Starting points for bleed, and what of a microphone is heard apart.

#include "core/advise/bleed_start.h"

#include "core/base/units.h"
#include "core/session/bleed.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

const std::vector<std::string> kDrums{"kick", "snare", "hihat", "rack-tom", "floor-tom", "ride"};
const std::string kModel(32, 'd');

double gain(const Session& s, const char* row, const char* drum) {
    return drumGain(*findRow(s, row), drum);
}

TEST(BleedStart, CleansCloseMicrophonesAndLeavesTheOthers) {
    const Session before = test::shortSession();
    const Session s = withBleedStart(before, "close", kDrums, kModel);
    EXPECT_EQ(validate(s), "");
    for (const Row& row : s.rows) {
        for (const std::string& drum : kDrums) {
            // Of whom nobody is sure is left alone.
            const bool turned = row.kind == RowKind::element && !row.drum.empty() &&
                                row.drum != drum && !isUnsure(row);
            EXPECT_EQ(drumGain(row, drum), turned ? -24.0 : 0.0) << row.id << " " << drum;
        }
        if (const Stage* bleed = findBleed(row)) {
            EXPECT_TRUE(bleed->on);
            EXPECT_EQ(bleed->data, kModel);
        }
    }
    EXPECT_EQ(findBleed(*findRow(s, "overhead")), nullptr) << "nothing is turned there";
}

TEST(BleedStart, EachTakesThePlaceOfTheOneBefore) {
    Session s = withBleedStart(test::shortSession(), "close", kDrums, kModel);
    s = withBleedStart(std::move(s), "kick-own", kDrums, kModel);
    EXPECT_EQ(gain(s, "snare-top", "kick"), -18.0);
    EXPECT_EQ(gain(s, "snare-top", "hihat"), 0.0);
    EXPECT_EQ(gain(s, "kick-in", "snare"), 0.0);
    EXPECT_EQ(gain(s, "kick-in", "kick"), 0.0);
    EXPECT_EQ(gain(s, "overhead", "kick"), -18.0);
    s = withBleedStart(std::move(s), "snare-rooms", kDrums, kModel);
    EXPECT_EQ(gain(s, "room", "kick"), -18.0);
    EXPECT_EQ(gain(s, "room", "snare"), 0.0);
    EXPECT_EQ(gain(s, "overhead", "kick"), 0.0);
    s = withBleedStart(std::move(s), "none", kDrums, kModel);
    for (const Row& row : s.rows) {
        const Stage* bleed = findBleed(row);
        EXPECT_TRUE(bleed == nullptr || bleed->drums.empty()) << row.id;
    }
    EXPECT_NE(test::errorOf([&] { withBleedStart(s, "louder", kDrums, kModel); }).find("louder"),
              std::string::npos);
}

TEST(BleedStart, WhatIsTakenAndWhatIsKeptAreTheWhole) {
    Session s = withDrumTurned(test::shortSession(), "snare-top", "kick", -12.0, kModel);
    s = withDrumTurned(std::move(s), "snare-top", "hihat", kBleedLowest, kModel);
    s = withDrumTurned(std::move(s), "snare-top", "snare", 6.0, kModel);
    const auto heard = [&](BleedHearing what) {
        return heardApart(s, "snare-top", "kick", what, kDrums, kModel);
    };
    const Session kept = heard(BleedHearing::kept), taken = heard(BleedHearing::taken),
                  one = heard(BleedHearing::one);
    for (const Session* alone : {&kept, &taken, &one}) {
        for (const Row& row : alone->rows) EXPECT_EQ(row.solo, row.id == "snare-top") << row.id;
    }
    EXPECT_EQ(gain(kept, "snare-top", "kick"), -12.0);
    EXPECT_NEAR(gainFromDb(gain(taken, "snare-top", "kick")) + gainFromDb(-12.0), 1.0, 1e-9);
    EXPECT_EQ(gain(taken, "snare-top", "hihat"), 0.0) << "all of it is taken";
    EXPECT_EQ(gain(taken, "snare-top", "snare"), kBleedLowest) << "nothing is taken of it";
    EXPECT_EQ(gain(one, "snare-top", "kick"), 0.0);
    EXPECT_EQ(gain(one, "snare-top", "rest"), kBleedLowest);
    // A microphone of which nothing is turned is taken apart for it.
    const Session other = heardApart(s, "hat", "kick", BleedHearing::one, kDrums, kModel);
    EXPECT_EQ(gain(other, "hat", "hihat"), kBleedLowest);
    EXPECT_EQ(findBleed(*findRow(other, "hat"))->data, kModel);
}

TEST(BleedEdits, AStepThatPlaysByNothingGetsItsModelWithTheFirstTurn) {
    Session s = withStageAdded(test::shortSession(), "hat", "bleed");
    EXPECT_TRUE(findBleed(*findRow(s, "hat"))->data.empty());
    s = withDrumTurned(std::move(s), "hat", "kick", -3.0, kModel);
    EXPECT_EQ(findBleed(*findRow(s, "hat"))->data, kModel);
    // What plays by one model already stays with it.
    const Session more = withDrumTurned(s, "hat", "kick", -6.0, std::string(32, 'e'));
    EXPECT_EQ(findBleed(*findRow(more, "hat"))->data, kModel);
    EXPECT_EQ(parseDrumGain("silent"), kBleedLowest);
    EXPECT_EQ(parseDrumGain("-24 dB"), -24.0);
    EXPECT_NE(test::errorOf([] { parseDrumGain("-61"); }), "");
    EXPECT_NE(test::errorOf([] { parseDrumGain("loud"); }), "");
    // A chain for another row leaves its bleed alone, and brings none.
    const std::vector<Stage> chain = findRow(s, "hat")->chain;
    EXPECT_EQ(findBleed(*findRow(withChain(s, "ride", chain), "ride")), nullptr);
    EXPECT_EQ(gain(withChain(s, "hat", {}), "hat", "kick"), -3.0);
}

}  // namespace
}  // namespace ember
