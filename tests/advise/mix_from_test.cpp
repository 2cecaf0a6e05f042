// A mix of another session, tried on the rows of this one.

#include "core/advise/mix_from.h"

#include "core/base/error.h"
#include "core/session/routing.h"
#include "core/session/snapshot.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

namespace ember {
namespace {

// The demo kit of another day: its snare's row has another id and name, a hall is sent to, and the
// ride has no microphone.
Session another() {
    Session s = test::shortSession();
    s.name = "Tuesday";
    s = withValue(std::move(s), "snare-top", "gate", "threshold", -31.0);
    s = withValue(std::move(s), "kick-in", "seat", "level", -4.5);
    s = withKey(std::move(s), "kick-in", "gate", "snare-top");
    s = withBusAdded(std::move(s), "Hall");
    Send send;
    send.to = "hall";
    send.levelDb = -9.0;
    requireRow(s, "snare-top").sends.push_back(send);
    std::erase_if(s.rows, [](const Row& r) { return r.id == "ride"; });
    for (Row& row : s.rows) {
        for (Stage& stage : row.chain) {
            if (stage.key == "snare-top") stage.key = "sn-t";
        }
    }
    Row& snare = requireRow(s, "snare-top");
    snare.id = "sn-t";
    snare.name = "SN T";
    EXPECT_EQ(validate(s), "");
    return s;
}

TEST(MixFrom, BringsStepsLevelsSendsAndKeysToTheRowsOfTheirRoles) {
    const Session own = withValue(test::shortSession(), "ride", "seat", "level", -17.0);
    const MixBrought brought = withMixFrom(own, another());
    const Session& s = brought.session;
    const Row& snare = *findRow(s, "snare-top");
    EXPECT_EQ(findStage(snare, "gate")->values,
              findStage(*findRow(another(), "sn-t"), "gate")->values);
    EXPECT_EQ(snare.sources, findRow(own, "snare-top")->sources) << "recordings stay";
    EXPECT_EQ(snare.chain.front(), findRow(own, "snare-top")->chain.front()) << "so does align";
    ASSERT_EQ(snare.sends.size(), 1U);
    EXPECT_EQ(snare.sends.front().to, "hall");
    EXPECT_NE(findRow(s, "hall"), nullptr);
    EXPECT_EQ(findStage(*findRow(s, "kick-in"), "gate")->key, "snare-top") << "keys follow rows";
    EXPECT_EQ(*findRow(s, "ride"), *findRow(own, "ride")) << "nothing stands for it";
    ASSERT_EQ(brought.remarks.size(), 2U);
    EXPECT_NE(brought.remarks[0].find("Hall"), std::string::npos);
    EXPECT_NE(brought.remarks[1].find("Ride"), std::string::npos);
    EXPECT_EQ(validate(s), "");
}

TEST(MixFrom, AMixOfItselfChangesNothingThatSounds) {
    const Session& own = test::shortSession();
    const MixBrought brought = withMixFrom(own, own);
    for (std::size_t i = 0; i < own.rows.size(); ++i) {
        EXPECT_EQ(brought.session.rows[i].chain, own.rows[i].chain) << own.rows[i].id;
        EXPECT_EQ(brought.session.rows[i].sends, own.rows[i].sends) << own.rows[i].id;
    }
    EXPECT_TRUE(brought.remarks.empty());
}

TEST(MixFrom, IsKeptAsASnapshotThatCanBeUsedAndJudged) {
    const Session& own = test::shortSession();
    Session other = withSnapshotTaken(another(), "Dry one", "", 1);
    other = withValue(std::move(other), "kick-in", "seat", "level", -20.0);
    const Session next = withSnapshotFrom(own, other, "dry one", "", 5);
    EXPECT_EQ(next.rows, own.rows) << "nothing sounds otherwise yet";
    ASSERT_EQ(next.snapshots.size(), 1U);
    EXPECT_EQ(next.snapshots[0].name, "Dry one, Tuesday");
    EXPECT_NE(next.snapshots[0].note.find("Ride"), std::string::npos);
    const Session used = withSnapshotUsed(next, next.snapshots[0].id);
    const auto level = [](const Session& s) {
        return findStage(*findRow(s, "kick-in"), "seat")->values;
    };
    EXPECT_EQ(level(used), level(another())) << "as the snapshot had it";
    EXPECT_EQ(level(withSnapshotUsed(withSnapshotFrom(own, other, "", "", 5), "snapshot-1")),
              level(other));
    EXPECT_THROW((void)withSnapshotFrom(own, other, "wet one", "", 5), Error);
    const test::TempFolder folder;
    test::writeMono(folder / "x.wav", test::noise(0.1, 4800));
    EXPECT_NE(test::errorOf([&] {
                  (void)withMixFrom(own, test::oneElement(folder / "x.wav"));
              }).find("stands for a row"),
              std::string::npos);
}

}  // namespace
}  // namespace ember
