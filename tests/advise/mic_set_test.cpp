// A mix with fewer microphones: which sets there are, what they keep, and how they are planned.
#include "core/advise/mic_set.h"

#include "core/advise/proposal.h"
#include "core/session/bleed.h"
#include "tests/support/measured_kit.h"

#include <set>

namespace ember {
namespace {

std::set<std::string> heardIn(const Session& session) {
    std::set<std::string> out;
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::element && !row.mute) out.insert(row.id);
    }
    return out;
}

TEST(MicSets, KeepWhatTheySayAndMuteTheRest) {
    const Session& s = test::measuredKit().session;
    using Ids = std::set<std::string>;
    EXPECT_EQ(heardIn(withMicSet(s, "four")), (Ids{"kick-in", "snare-top", "overhead"}));
    EXPECT_EQ(heardIn(withMicSet(s, "whole")), (Ids{"overhead", "room"}));
    const Ids noRooms = heardIn(withMicSet(s, "no-rooms")), close = heardIn(withMicSet(s, "close"));
    EXPECT_FALSE(noRooms.contains("room"));
    EXPECT_TRUE(noRooms.contains("overhead"));
    EXPECT_FALSE(close.contains("overhead"));
    EXPECT_TRUE(close.contains("ride"));
    EXPECT_EQ(withMicSet(s, "four").rows.size(), s.rows.size()) << "what is keyed goes on";
    EXPECT_EQ(validate(withMicSet(s, "four")), "");
    const std::string why = test::errorOf([&] { withMicSet(s, "seven"); });
    EXPECT_NE(why.find("no-rooms"), std::string::npos) << why;
}

TEST(MicSets, AddOnePartAfterAnotherAndEndBeforeTheWhole) {
    const Session& s = test::measuredKit().session;
    std::size_t before = 0, steps = 0;
    std::string name;
    for (const MicSet& set : micSets(s)) {
        if (!set.id.starts_with("up-to-")) continue;
        const std::size_t heard = heardIn(withMicSet(s, set.id)).size();
        EXPECT_GT(heard, before) << set.id;
        EXPECT_TRUE(set.name.starts_with(name)) << set.name;
        before = heard;
        name = set.name;
        ++steps;
    }
    EXPECT_GE(steps, 3U);
    EXPECT_LT(before, heardIn(s).size());
    // A session of two overheads has no smaller set.
    EXPECT_TRUE(micSets(withOnlyRows(s, {"overhead", "drum-bus", mainRow(s)})).empty());
}

TEST(MicSets, PlannedAnewIsTheFirstPassOverThemAlone) {
    const test::MeasuredKit& kit = test::measuredKit();
    Session s = kit.session;
    for (const Proposal& p : advise(s, kit.kit, s.ways))
        s = accept(std::move(s), p, kit.kit.strokes);
    s = withDrumTurned(std::move(s), "snare-top", "kick", -12.0, std::string(32, 'a'));
    const Session four = withMicSet(s, "four", &kit.kit);
    EXPECT_EQ(validate(four), "");
    EXPECT_EQ(heardIn(four), heardIn(withMicSet(s, "four")));
    // What is not heard stays as it was.
    EXPECT_EQ(findRow(four, "hat")->chain, findRow(s, "hat")->chain);
    EXPECT_EQ(drumGain(*findRow(four, "snare-top"), "kick"), -12.0);
    // With nothing beside them the overheads carry hat and toms: they are cut less than beside
    // close microphones, or stand otherwise.
    EXPECT_NE(findRow(four, "overhead")->chain, findRow(s, "overhead")->chain);
    // Nothing is left to propose for the rows of the set, were they alone.
    Session alone = withOnlyRows(four, {"kick-in", "snare-top", "overhead", "kick-bus", "snare-bus",
                                        "drum-bus", mainRow(four)});
    for (const Proposal& p : advise(alone, kit.kit, alone.ways))
        EXPECT_TRUE(isAccepted(alone, p)) << p.id << ": " << p.title;
    // The same twice.
    EXPECT_EQ(withMicSet(s, "four", &kit.kit), four);
}

}  // namespace
}  // namespace ember
