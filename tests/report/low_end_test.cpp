#include "core/report/low_end.h"

#include "core/base/error.h"
#include "core/base/units.h"
#include "core/measure/kit/kit_measure.h"
#include "core/measure/kit/kit_mics.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

using test::TempFolder;

constexpr std::size_t kBottomFrames = 4 * 48000;

// Strokes every half second that decay at a note.
std::vector<float> boom(double hertz, double amplitude) {
    std::vector<float> out(kBottomFrames, 0.0F);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double t = static_cast<double>(i % 24000) / 48000.0;
        out[i] = static_cast<float>(amplitude * std::exp(-t / 0.08) *
                                    std::sin(2.0 * std::numbers::pi * hertz * t));
    }
    return out;
}

// A kick and a bass as a guest, both into the main.
struct KickAndBass {
    TempFolder folder;
    Session session;

    KickAndBass(const std::vector<float>& kick, const std::vector<float>& bass) {
        test::writeMono(folder / "kick.wav", kick);
        test::writeMono(folder / "bass.wav", bass);
        session = test::oneElement(folder / "kick.wav");
        session.rows[0].role = Role::kick;
        session = withDrums(std::move(session));
        Row guest = session.rows[0];
        guest.id = "bass";
        guest.name = "Bass";
        guest.kind = RowKind::guest;
        guest.role = Role::bass;
        guest.drum.clear();
        guest.chain = makeChain(RowKind::guest);
        guest.sources[0].file = (folder / "bass.wav").string();
        session.rows.insert(session.rows.begin() + 1, guest);
        std::vector<Stroke> strokes;
        for (int i = 0; i < 8; ++i) {
            strokes.emplace_back();
            strokes.back().time = 0.5 * i;
            strokes.back().drum = findRow(session, "one")->drum;
            strokes.back().velocity = 0.9;
        }
        session.strokes = Shared(strokes);
    }
    [[nodiscard]] LowEnd found() const { return of(session); }
    static LowEnd of(const Session& s) { return lowEnd(s, test::sharedStore(), 0.0, -1.0); }
};

std::string allOf(const std::vector<std::string>& sentences) {
    std::string out;
    for (const std::string& one : sentences) out += one + " ";
    return out;
}

TEST(LowEnd, SaysWhoOwnsWhichOctaveAndAsksForNothingWhereBothStandClear) {
    const KickAndBass both(boom(62.5, 0.5), test::sine(125.0, 0.1, kBottomFrames, 48000.0));
    const LowEnd found = both.found();
    ASSERT_EQ(found.octaves.size(), 4U);
    EXPECT_EQ(found.own, 1U);
    EXPECT_EQ(found.octaves[1].owner, LowOwner::kick);
    EXPECT_EQ(found.octaves[2].owner, LowOwner::bass);
    EXPECT_EQ(found.octaves[1].clash, 0.0);
    EXPECT_GT(found.overDb, kClearDb);
    EXPECT_TRUE(found.moves.empty());
    EXPECT_NEAR(found.rows[1].ownHertz, 125.0, 10.0);
    // The first quarter of a period at 62.5 Hz has decayed by 4 ms.
    EXPECT_NEAR(found.kickPeakDb, dbFromGain(0.5 * std::exp(-0.004 / 0.08)), 0.1);
    EXPECT_NEAR(found.rows[0].readsDb, found.kickPeakDb, 0.01);
    EXPECT_EQ(found.rows[0].targetDb, -14.0);
    EXPECT_FALSE(found.rows[1].targetDb);
    const std::string said = allOf(lowEndText(both.session, found));
    // A beginning is never only its note: under it there is nobody else.
    EXPECT_NE(said.find("The kick owns 31 Hz and 62 Hz; the bass owns 125 Hz."), std::string::npos)
        << said;
}

TEST(LowEnd, FollowsTheLevelOfTheBassDecibelByDecibel) {
    KickAndBass both(boom(62.5, 0.5), test::sine(62.5, 0.1, kBottomFrames, 48000.0));
    const LowEnd before = both.found();
    both.session = withValue(both.session, "bass", "seat", "level", 6.0);
    const LowEnd after = both.found();
    EXPECT_NEAR(after.overDb, before.overDb - 6.0, 0.01);
    for (std::size_t i = 0; i < before.strokes.size(); ++i)
        EXPECT_NEAR(after.strokes[i].overDb, before.strokes[i].overDb - 6.0, 0.01) << i;
    EXPECT_NEAR(after.rows[1].overDb, before.rows[1].overDb + 6.0, 0.01);
    both.session = withValue(both.session, "bass", "seat", "level", 12.0);
    const LowEnd loud = both.found();
    EXPECT_EQ(loud.octaves[1].owner, LowOwner::bass);
    EXPECT_EQ(loud.octaves[1].clash, 1.0);
    // Muted, it is judged as if it were not.
    requireRow(both.session, "bass").mute = true;
    EXPECT_NEAR(both.found().overDb, loud.overDb, 1e-9);
}

TEST(LowEnd, WhatIsTriedDoesWhatItSaysWhenItIsMade) {
    KickAndBass both(boom(62.5, 0.5), test::sine(62.5, 0.25, kBottomFrames, 48000.0));
    const LowEnd before = both.found();
    ASSERT_EQ(before.moves.size(), 2U);
    EXPECT_EQ(before.moves[0].kind, LowMove::Kind::duck);
    EXPECT_EQ(before.moves[1].kind, LowMove::Kind::cutBass);
    EXPECT_NEAR(before.moves[1].freesDb, 4.0, 0.2);
    EXPECT_NEAR(before.moves[1].costsLu, -4.0, 0.2);
    EXPECT_GT(before.moves[0].freesDb, 2.5);
    EXPECT_LT(before.moves[0].freesDb, 6.0);
    EXPECT_LT(before.moves[0].costsLu, -0.5);
    EXPECT_GT(before.moves[0].costsLu, -3.0) << "it steps back for a part of the time alone";
    for (const LowMove& move : before.moves) {
        both.session = withLowMove(both.session, move).session;
        const LowEnd after = KickAndBass::of(both.session);
        if (&move == &before.moves.front()) {
            EXPECT_NEAR(after.overDb, before.overDb + move.freesDb, 1e-6);
        }
        for (const LowMove& left : after.moves) EXPECT_NE(left.kind, move.kind);
    }
    EXPECT_EQ(findRow(both.session, "bass")->chain.size(), makeChain(RowKind::guest).size() + 1)
        << "the cut is a band of the equaliser that is there";
    const auto& words = findStage(*findRow(both.session, "bass"), "eq")->words;
    ASSERT_EQ(words.size(), 1U);
    EXPECT_EQ(words.begin()->second, lowMoveText(both.session, before.moves[1]))
        << "and says why it is";
}

TEST(LowEnd, GivesTheBassItsOctaveWhereTheKickLiesInIt) {
    // The kick is strongest at 62 Hz and rings at 125 Hz beside, where the bass is.
    std::vector<float> kick = boom(62.5, 0.5);
    const std::vector<float> ring = boom(125.0, 0.3);
    for (std::size_t i = 0; i < kick.size(); ++i) kick[i] += ring[i];
    const KickAndBass both(kick, test::sine(125.0, 0.12, kBottomFrames, 48000.0));
    const LowEnd found = both.found();
    ASSERT_EQ(found.moves.size(), 1U);
    EXPECT_EQ(found.moves[0].kind, LowMove::Kind::cutKick);
    EXPECT_EQ(found.moves[0].row, "one");
    EXPECT_GT(found.moves[0].freesDb, 2.5);
    EXPECT_LT(found.moves[0].freesDb, 4.5);
    const LowEnd after = KickAndBass::of(withLowMove(both.session, found.moves[0]).session);
    EXPECT_NEAR(after.rows[1].overDb, found.rows[1].overDb + found.moves[0].freesDb, 1e-6);
}

TEST(LowEnd, SaysWhereTheirSumLoses) {
    KickAndBass both(boom(62.5, 0.5), boom(62.5, 0.5));
    EXPECT_NEAR(both.found().octaves[1].sumDb, 3.0, 0.1);
    EXPECT_NEAR(both.found().pairPeakDb - both.found().kickPeakDb, 6.02, 0.05);
    both.session = withValue(both.session, "bass", "align", "polarity", 1.0);
    const LowEnd found = both.found();
    EXPECT_LT(found.octaves[1].sumDb, -20.0);
    EXPECT_NEAR(found.octaves[1].flippedDb, 3.0, 0.1);
    const std::string said = allOf(lowEndText(both.session, found));
    EXPECT_NE(said.find("Around 62 Hz their sum loses"), std::string::npos) << said;
}

TEST(LowEnd, SaysWhichOfTwoKicksGoesBestWithTheBass) {
    KickAndBass both(boom(62.5, 0.5), test::sine(62.5, 0.2, kBottomFrames, 48000.0));
    test::writeMono(both.folder / "high.wav", boom(125.0, 0.5));
    Row high = *findRow(both.session, "one");
    high.id = "two";
    high.name = "High Kick";
    high.sources[0].file = (both.folder / "high.wav").string();
    both.session.rows.insert(both.session.rows.begin() + 1, high);
    const LowEnd found = both.found();
    ASSERT_EQ(found.rows.size(), 3U);
    EXPECT_GT(found.rows[1].overDb, found.rows[0].overDb + 6.0);
    const std::string said = allOf(lowEndText(both.session, found));
    EXPECT_NE(said.find("dB over it where it is strongest"), std::string::npos) << said;
    EXPECT_NE(said.find("High Kick goes best with the bass"), std::string::npos) << said;
}

TEST(LowEnd, RefusesWithASentenceWhatCannotBeJudged) {
    KickAndBass both(boom(62.5, 0.5), test::sine(62.5, 0.2, kBottomFrames, 48000.0));
    Session none = both.session;
    none.strokes = {};
    EXPECT_NE(test::errorOf([&] { KickAndBass::of(none); }).find("No stroke of the kick"),
              std::string::npos);
    none = both.session;
    std::erase_if(none.rows, [](const Row& row) { return row.id == "bass"; });
    EXPECT_NE(test::errorOf([&] { KickAndBass::of(none); }).find("no bass"), std::string::npos);
    none = both.session;
    none = withRole(std::move(none), "one", Role::snareTop);
    EXPECT_NE(test::errorOf([&] { KickAndBass::of(none); }).find("no kick"), std::string::npos);
    EXPECT_THROW(lowEnd(both.session, test::sharedStore(), 60.0, 70.0), Error);
}

TEST(LowEnd, HearsBothAloneOnTheDemoKitAndKeepsItsWord) {
    Session session = test::shortSession();
    session.strokes = Shared(measureSessionStrokes(session, test::sharedStore()).strokes);
    const LowEnd found = KickAndBass::of(session);
    EXPECT_GT(found.strokes.size(), 4U);
    EXPECT_TRUE(std::any_of(found.rows.begin(), found.rows.end(),
                            [](const LowRow& row) { return row.bass; }));
    for (const LowMove& move : found.moves) {
        const LowEnd after = KickAndBass::of(withLowMove(session, move).session);
        if (move.kind == LowMove::Kind::cutKick) continue;
        EXPECT_NEAR(after.overDb, found.overDb + move.freesDb, 0.05);
        EXPECT_GT(move.freesDb, 0.5);
    }
    const Session alone = lowEndAlone(session);
    EXPECT_EQ(validate(alone), "");
    for (const Row& row : alone.rows) {
        if (row.kind == RowKind::element) {
            EXPECT_EQ(drumFamily(drumOfRow(session, row.id)), DrumFamily::kick) << row.id;
        }
        if (row.kind == RowKind::guest) {
            EXPECT_EQ(row.role, Role::bass) << row.id;
        }
    }
}

}  // namespace
}  // namespace ember
