// A new recording begun as an earlier session stood.

#include "core/advise/session_like.h"

#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/session/bleed.h"
#include "core/session/layers.h"
#include "core/session/routing.h"
#include "core/session/snapshot.h"
#include "tests/support/support.h"

#include <algorithm>

namespace ember {
namespace {

// What taking in a session's own recordings would say of them.
Intake intakeOf(const Session& session) {
    Intake out;
    out.name = "Second song";
    out.sampleRate = session.sampleRate;
    out.tempo = 96.0;
    for (const Row& row : session.rows) {
        if (row.sources.empty()) continue;
        IntakeEntry e;
        e.name = row.name;
        e.role = row.role;
        e.who = row.who;
        e.kind = row.kind;
        e.sources = row.sources;
        out.entries.push_back(e);
    }
    return out;
}

IntakeEntry& entryOf(Intake& intake, const std::string& name) {
    return *std::find_if(intake.entries.begin(), intake.entries.end(),
                         [&](const IntakeEntry& e) { return e.name == name; });
}

bool says(const LikeEarlier& made, const std::string& words) {
    return std::any_of(made.remarks.begin(), made.remarks.end(), [&](const std::string& remark) {
        return remark.find(words) != std::string::npos;
    });
}

// The demo kit with a parallel, a boost, a snare note wished for and a moved microphone.
Session mixed() {
    Session s = test::shortSession();
    s = withValue(s, "snare-top", "eq", "b3.on", 1.0);
    s = withValue(s, "snare-top", "eq", "b3.gain", 6.0);
    s = withBusAdded(s, "Crush");
    s = withStageAdded(s, "crush", "compressor");
    s = withSend(s, "snare-top", {.to = "crush", .levelDb = -6.0});
    return s;
}

TEST(SessionLike, TheSameRecordingsSoundTheSame) {
    const Session earlier = mixed();
    const LikeEarlier made = sessionLike(earlier, intakeOf(earlier));
    EXPECT_TRUE(made.remarks.empty()) << made.remarks.front();
    EXPECT_EQ(made.session.name, "Second song");
    EXPECT_EQ(tempoHere(made.session), 96.0);
    const AudioBuffer a = renderMix(earlier, test::sharedStore(), {}),
                      b = renderMix(made.session, test::sharedStore(), {});
    EXPECT_EQ(a.channels, b.channels);
}

TEST(SessionLike, WhatBelongsToTheEarlierSongIsLeftOut) {
    Session earlier = mixed();
    earlier = withValue(earlier, "overhead", "align", "trim", 3.0);
    earlier.spots.push_back({"bridge", 1.0, 2.0});
    earlier.strokeEdits.push_back({});
    earlier.notes.push_back({"snare", 200.0});
    earlier.targets.push_back({"kick", true, TargetStrokes::loudest, -9.0});
    earlier = withSnapshotTaken(earlier, "before", "", 0);
    Stage& eq = requireStage(requireRow(earlier, "snare-top"), "eq");
    eq.words = {{"b3.name", "crack"}, {"b3.why", "it was dull there"}};
    eq.mark = Mark::decided;
    const Session next = sessionLike(earlier, intakeOf(earlier)).session;
    EXPECT_EQ(findRow(next, "overhead")->chain.front(),
              findRow(test::shortSession(), "overhead")->chain.front());
    EXPECT_TRUE(next.spots.empty() && next.strokeEdits.empty() && next.notes.empty() &&
                next.snapshots.empty());
    EXPECT_EQ(next.targets, earlier.targets) << "what one aims at is a way of working";
    const Stage& kept = *findStage(*findRow(next, "snare-top"), "eq");
    EXPECT_EQ(kept.words.size(), 1U);
    EXPECT_EQ(kept.words.at("b3.name"), "crack");
    EXPECT_EQ(kept.mark, Mark::untouched) << "nobody decided it for this song";
}

TEST(SessionLike, AMicrophoneMoreHasItsSiblingsStepsAndOneLessTakesItsRow) {
    Session earlier = mixed();
    earlier = withValue(earlier, "floor-tom", "gate", "threshold", -33.0);
    Intake intake = intakeOf(earlier);
    IntakeEntry third = entryOf(intake, "Floor Tom");
    third.name = "Floor Tom 2";
    intake.entries.push_back(third);
    std::erase_if(intake.entries, [](const IntakeEntry& e) {
        return e.role == Role::snareTop || e.role == Role::snareBottom;
    });
    const LikeEarlier made = sessionLike(earlier, intake);
    const Row* added = findRow(made.session, "floor-tom-2");
    ASSERT_NE(added, nullptr);
    EXPECT_EQ(added->parent, "tom-bus");
    EXPECT_NE(added->drum, "floor-tom") << "a drum of its own";
    const Stage& gate = *findStage(*added, "gate");
    EXPECT_EQ(gate.values[static_cast<std::size_t>(
                  parameterIndex(processorType("gate").table, "threshold"))],
              -33.0);
    EXPECT_TRUE(says(made, "“Floor Tom 2” is new: it has the steps of “Floor Tom”"));
    for (const char* gone : {"snare-top", "snare-bottom", "snare-bus", "crush"})
        EXPECT_EQ(findRow(made.session, gone), nullptr) << gone;
    EXPECT_TRUE(says(made, "There is no “Snare Top” this time"));
    EXPECT_TRUE(says(made, "Nothing feeds “Crush” this time"));
    EXPECT_EQ(validate(made.session), "");
}

TEST(SessionLike, OneKickMicrophoneTakesThePlaceOfTwo) {
    const Session earlier = mixed();
    Intake intake = intakeOf(earlier);
    entryOf(intake, "Kick In").role = Role::kick;
    entryOf(intake, "Kick In").name = "BD";
    std::erase_if(intake.entries, [](const IntakeEntry& e) { return e.name == "Kick Out"; });
    const LikeEarlier made = sessionLike(earlier, intake);
    ASSERT_NE(findRow(made.session, "kick-in"), nullptr);
    EXPECT_EQ(findRow(made.session, "kick-in")->name, "BD");
    EXPECT_EQ(findRow(made.session, "kick-out"), nullptr);
}

TEST(SessionLike, LayersStayUnderDrumsThatAreThereAndPrintsDoNot) {
    const test::TempFolder folder;
    test::writeMono(folder / "low.wav", test::noise(0.4, 4800, 4));
    Session earlier = mixed();
    earlier = withLayerRow(earlier, "snare", {{(folder / "low.wav").string(), "", 0, 0.0}}).session;
    const auto layers = std::find_if(earlier.rows.begin(), earlier.rows.end(),
                                     [](const Row& row) { return !row.layers.empty(); });
    const std::string id = layers->id;
    EXPECT_NE(findRow(sessionLike(earlier, intakeOf(mixed())).session, id), nullptr);
    Intake fewer = intakeOf(mixed());
    std::erase_if(fewer.entries, [](const IntakeEntry& e) {
        return e.role == Role::snareTop || e.role == Role::snareBottom;
    });
    EXPECT_EQ(findRow(sessionLike(earlier, fewer).session, id), nullptr);
    EXPECT_NE(test::errorOf([&] { (void)sessionLike({}, fewer); }).find("nothing to begin"),
              std::string::npos);
}

}  // namespace
}  // namespace ember
