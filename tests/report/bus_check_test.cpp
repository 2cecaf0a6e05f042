#include "core/report/bus_check.h"

#include "core/base/error.h"
#include "core/base/units.h"
#include "tests/support/support.h"

namespace ember {
namespace {

using test::TempFolder;

// A loud masker, a buried twin of it, and a stranger above, into the main.
struct Three {
    TempFolder folder;
    Session session;

    Three() {
        const std::size_t frames = 4 * 48000;
        std::vector<float> low = test::noise(0.5, frames, 1), twin = test::noise(0.5, frames, 2);
        for (auto* x : {&low, &twin}) {
            float state = 0.0F;
            for (float& v : *x) v = state += 0.05F * (v - state);
        }
        test::writeMono(folder / "a.wav", low);
        test::writeMono(folder / "b.wav", twin);
        session = test::twoElements(folder / "a.wav", folder / "b.wav");
        Row high = *findRow(session, "one");
        test::writeMono(folder / "c.wav", test::sine(6000.0, 0.05, frames, 48000.0));
        high.id = high.name = "three";
        high.sources[0].file = (folder / "c.wav").string();
        session.rows.insert(session.rows.begin(), high);
        for (const char* row : {"one", "two", "three"}) requireRow(session, row).parent = "main";
        session = withValue(std::move(session), "two", "seat", "level", -26.0);
    }
    [[nodiscard]] BusCheck check(const char* bus = "main") const {
        return checkBus(session, test::sharedStore(), bus, 0.0, -1.0);
    }
};

const BusMember& memberOf(const BusCheck& check, const std::string& row) {
    for (const BusMember& m : check.members) {
        if (m.row == row) return m;
    }
    return check.members.front();
}

TEST(BusCheck, NamesWhoIsBuriedBehindWhomAndByHowMuch) {
    const Three three;
    const BusCheck check = three.check();
    const BusMember& two = memberOf(check, "two");
    EXPECT_LT(two.heard.share, kBuried);
    EXPECT_EQ(two.maskedBy, "one");
    EXPECT_LT(two.maskedHz, 3000.0);
    EXPECT_GT(memberOf(check, "one").heard.share, kHeardEnough);
    EXPECT_GT(memberOf(check, "three").heard.share, kHeardEnough);
    const std::vector<std::string> said = busCheckText(three.session, check);
    ASSERT_GE(said.size(), 2U);
    EXPECT_NE(said[0].find("Two is buried"), std::string::npos) << said[0];
    EXPECT_NE(said[0].find("behind One"), std::string::npos) << said[0];
    EXPECT_NE(said.back().find("mostly three"), std::string::npos) << said.back();
    // What it says is enough is enough.
    const Session raised =
        withValue(three.session, "two", "seat", "level", -26.0 + two.heard.raiseDb + 0.2);
    const BusCheck after = checkBus(raised, test::sharedStore(), "main", 0.0, -1.0);
    EXPECT_NEAR(memberOf(after, "two").heard.share, kHeardEnough, 0.08);
}

TEST(BusCheck, LeavesOutWhatIsMutedAndRefusesWhatHasNoMembers) {
    Three three;
    EXPECT_EQ(three.check().members.size(), 5U) << "two empty buses too";
    requireRow(three.session, "two").mute = true;
    const BusCheck check = three.check();
    EXPECT_EQ(check.members.size(), 4U);
    EXPECT_EQ(busCheckText(three.session, check).front(), "Every member of Main is heard.");
    EXPECT_THROW((void)three.check("left"), Error);
    EXPECT_THROW(checkBus(three.session, test::sharedStore(), "main", 0.0, -1.0,
                          [](double, const std::string&) { return false; }),
                 Cancelled);
}

}  // namespace
}  // namespace ember
