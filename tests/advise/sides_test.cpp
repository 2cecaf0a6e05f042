// A pair whose sides are of opposite polarity: proposed, accepted, and mended in what is rendered.

#include "core/advise/proposal.h"
#include "core/engine/render.h"
#include "tests/support/measured_kit.h"

#include <algorithm>

namespace ember {
namespace {

TEST(Sides, OfOppositePolarityAreTurnedOver) {
    Session session = test::measuredKit().session;
    KitMeasurement m = test::measuredKit().kit;
    const auto proposed = [&](const Session& s) {
        const auto all = adviseAlign(s, m, AlignSchool::withinDrum);
        const auto at = std::find_if(all.begin(), all.end(),
                                     [](const Proposal& p) { return p.id == "overhead.sides"; });
        return at == all.end() ? std::optional<Proposal>{} : std::optional(*at);
    };
    EXPECT_FALSE(proposed(session)) << "these are as they should be";
    // As if the right one had been wired the other way.
    for (SignalLevels& l : m.levels) {
        if (l.row == "overhead") l.correlation = -0.6;
    }
    auto p = proposed(session);
    ASSERT_TRUE(p);
    EXPECT_NE(p->reason.find("opposite polarity"), std::string::npos);
    const Session turned = accept(session, *p, m.strokes);
    EXPECT_FALSE(proposed(turned)) << "what is mended is not proposed again";
    measureEffects(*p, turned, m, test::sharedStore());
    ASSERT_TRUE(p->effects.front().measured);
    const auto heard =
        std::find_if(test::measuredKit().kit.levels.begin(), test::measuredKit().kit.levels.end(),
                     [](const SignalLevels& l) { return l.row == "overhead"; });
    EXPECT_NEAR(*p->effects.front().measured, -heard->correlation, 0.02)
        << "the right side was turned over against what is recorded";
}

TEST(Doubt, LeavesUnsureRowsAlone) {
    Session session = test::measuredKit().session;
    const KitMeasurement& m = test::measuredKit().kit;
    const auto about = [&](const Session& s, const std::string& row) {
        int count = 0;
        for (const Proposal& p : advise(s, m)) count += p.row == row || p.against == row ? 1 : 0;
        return count;
    };
    ASSERT_GT(about(session, "snare-bottom"), 0);
    const int others = about(session, "snare-top");
    findRow(session, "snare-bottom")->who.sure = 0.5;
    EXPECT_EQ(about(session, "snare-bottom"), 0);
    EXPECT_LE(about(session, "snare-top"), others);
}

TEST(Seats, AreAboutTheRowItselfWhateverItsBusDoes) {
    const test::MeasuredKit& m = test::measuredKit();
    Session session = m.session;
    const std::string bus = findRow(session, "kick-in")->parent;
    session = withValue(session, bus, "seat", "level", -6.0);
    const auto find = [](const std::vector<Proposal>& all) {
        return *std::find_if(all.begin(), all.end(),
                             [](const Proposal& p) { return p.id == "kick-in.seat"; });
    };
    Proposal p = find(adviseSeat(session, m.kit));
    EXPECT_EQ(p.moves, find(adviseSeat(m.session, m.kit)).moves);
    EXPECT_NE(p.reason.find("Faders of bus and main come after"), std::string::npos) << p.reason;
    measureEffects(p, accept(session, p, m.kit.strokes), m.kit, test::sharedStore());
    ASSERT_TRUE(p.effects.front().measured);
    EXPECT_NEAR(*p.effects.front().measured, *p.effects.front().predicted, 0.5);
}

TEST(Colour, SaysWhatItLeavesAloneOnlyWhereItDoes) {
    const test::MeasuredKit& m = test::measuredKit();
    int kicks = 0;
    for (const Proposal& p : adviseColour(m.session, m.kit, ColourSchool::coloured)) {
        const bool kick = p.drum == "kick";
        kicks += kick ? 1 : 0;
        EXPECT_EQ(p.reason.find("nothing is bent") == std::string::npos, kick) << p.reason;
    }
    EXPECT_GT(kicks, 0);
}

}  // namespace
}  // namespace ember
