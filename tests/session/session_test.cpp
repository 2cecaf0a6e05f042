#include "core/session/session.h"

#include "core/base/error.h"
#include "core/session/diff.h"
#include "core/session/document.h"
#include "core/session/file.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <malloc.h>

#include <algorithm>

namespace ember {
namespace {

#if defined(EMBER_SANITIZED)
constexpr bool kCountsMemory = false;  // the sanitizers bring an allocator of their own
#else
constexpr bool kCountsMemory = true;
#endif

TEST(Session, SaysWhatIsWrongWithIt) {
    const Session good = test::shortSession();
    EXPECT_EQ(validate(good), "");
    Session s = good;
    s.rows[1].id = s.rows[0].id;
    EXPECT_NE(validate(s).find(s.rows[0].id), std::string::npos);
    s = good;
    requireRow(s, "drum-bus").parent = "snare-bus";
    EXPECT_NE(validate(s).find("feeds itself"), std::string::npos);
    s = good;
    requireRow(s, "hat").parent = "nowhere";
    EXPECT_NE(validate(s).find("nowhere"), std::string::npos);
    s = good;
    requireRow(s, "hat").sources.clear();
    EXPECT_NE(validate(s).find("no recording"), std::string::npos);
    s = good;
    std::swap(requireRow(s, "hat").chain.front(), requireRow(s, "hat").chain.back());
    EXPECT_NE(validate(s), "");
    s = good;
    requireStage(requireRow(s, "hat"), "gate").key = "nowhere";
    EXPECT_NE(validate(s).find("keyed"), std::string::npos);
    s = good;
    requireStage(requireRow(s, "hat"), "gate").key = "main";
    EXPECT_NE(validate(s).find("comes round to itself"), std::string::npos);
    s = good;
    std::erase_if(s.rows, [](const Row& r) { return r.kind == RowKind::main; });
    EXPECT_NE(validate(s).find("main"), std::string::npos);
}

TEST(Session, RefusesValuesOutOfRangeAndUnknownNames) {
    const Session s = test::shortSession();
    EXPECT_NE(test::errorOf([&] { withValue(s, "hat", "gate", "threshold", 5.0); }).find("80.0 dB"),
              std::string::npos);
    EXPECT_NE(test::errorOf([&] { withValue(s, "hut", "gate", "threshold", -5.0); }).find("hat"),
              std::string::npos);
    EXPECT_NE(test::errorOf([&] { withValue(s, "hat", "gat", "threshold", -5.0); }).find("gate"),
              std::string::npos);
    EXPECT_NE(
        test::errorOf([&] { withValue(s, "hat", "gate", "treshold", -5.0); }).find("hysteresis"),
        std::string::npos);
    EXPECT_NE(test::errorOf([&] { withStageMoved(s, "hat", "seat", -1); }), "");
}

TEST(Session, MovesStagesBetweenTheirFixedEnds) {
    Session s = withStageMoved(test::shortSession(), "hat", "compressor", -9);
    const Row& hat = requireRow(s, "hat");
    EXPECT_EQ(hat.chain[0].id, "align");
    EXPECT_EQ(hat.chain[1].id, "compressor");
    EXPECT_EQ(hat.chain.back().id, "seat");
    EXPECT_EQ(validate(s), "");
}

TEST(Session, ChainsGrowCopyAndShrinkBetweenTheirFixedEnds) {
    Session s = withStageAdded(test::shortSession(), "hat", "saturation");
    const auto order = [&] {
        std::string ids;
        for (const Stage& stage : findRow(s, "hat")->chain) ids += stage.id + " ";
        return ids;
    };
    EXPECT_EQ(order(), "align gate eq compressor saturation seat ");
    s = withStageAdded(s, "hat", "expander");
    EXPECT_EQ(order(), "align gate expander eq compressor saturation seat ");
    s = withValue(s, "hat", "compressor", "ratio", 3.0);
    s = withStageDuplicated(s, "hat", "compressor");
    EXPECT_EQ(order(), "align gate expander eq compressor compressor-2 saturation seat ");
    EXPECT_EQ(findStage(*findRow(s, "hat"), "compressor-2")->values,
              findStage(*findRow(s, "hat"), "compressor")->values);
    s = withStageRemoved(s, "hat", "gate");
    s = withStageAdded(s, "hat", "eq", "saturation");
    EXPECT_EQ(order(), "align expander eq compressor compressor-2 saturation eq-2 seat ");
    EXPECT_EQ(validate(s), "");
    for (const char* fixed : {"align", "seat"}) {
        EXPECT_NE(test::errorOf([&] { withStageRemoved(s, "hat", fixed); }), "");
        EXPECT_NE(test::errorOf([&] { withStageDuplicated(s, "hat", fixed); }), "");
        EXPECT_NE(test::errorOf([&] { withStageAdded(s, "hat", fixed); }), "");
    }
    EXPECT_NE(test::errorOf([&] { withStageAdded(s, "hat", "wizard"); }).find("saturation"),
              std::string::npos);
}

TEST(Session, AvoidsDoubleIds) {
    Session s = test::shortSession();
    EXPECT_EQ(makeRowId(s, "Snare  Top!"), "snare-top-2");
    EXPECT_EQ(makeRowId(s, "\xC3\xA9"), "row");
}

TEST(Diff, SpeaksInSentencesAndTellsMovesFromNewPlans) {
    const Session a = test::shortSession();
    Session b = withValue(a, "snare-top", "gate", "threshold", -28.5);
    SessionDiff d = diff(a, b);
    ASSERT_GE(d.sentences().size(), 1U);
    EXPECT_EQ(d.sentences()[0], "Snare Top · Gate · Threshold −36.0 dB → −28.5 dB");
    EXPECT_FALSE(d.structural);
    ASSERT_GE(d.moves.size(), 1U);
    EXPECT_EQ(d.moves[0].row, "snare-top");
    EXPECT_EQ(d.rows, std::vector<std::string>{"snare-top"});
    EXPECT_TRUE(diff(a, withValue(a, "snare-top", "gate", "look-ahead", 5.0)).structural)
        << "a new latency needs a new plan";
    EXPECT_TRUE(diff(a, withStageMoved(a, "hat", "eq", 1)).structural);
    b = a;
    requireRow(b, "hat").mute = true;
    d = diff(a, b);
    EXPECT_FALSE(d.structural);
    EXPECT_EQ(d.sentences(), std::vector<std::string>{"Hat · muted"});
    b = a;
    requireRow(b, "hat").parent = "main";
    EXPECT_TRUE(diff(a, b).structural);
    EXPECT_TRUE(diff(a, a).sentences().empty());
}

TEST(Diff, CallsBandsByWhatTheyDo) {
    Session a = test::shortSession();
    const auto only = [&](const Session& b) {
        const SessionDiff d = diff(a, b);
        for (const std::string& sentence : d.sentences()) {
            if (sentence.find("EQ · ") != std::string::npos) return sentence;
        }
        return std::string("nothing about the EQ");
    };
    // On, by the value; and the gain of the band at 200 Hz.
    EXPECT_EQ(only(withValue(a, "snare-top", "eq", "b3.gain", 3.0)),
              "Snare Top · EQ · body gain 0.0 dB → 3.0 dB");
    a = withWord(std::move(a), "snare-top", "eq", "b3.name", "chest");
    EXPECT_EQ(only(withValue(a, "snare-top", "eq", "b3.gain", -3.0)),
              "Snare Top · EQ · chest gain 0.0 dB → −3.0 dB");
    EXPECT_EQ(only(withWord(a, "snare-top", "eq", "b3.name", "belly")),
              "Snare Top · EQ · a band is called “belly”");
    EXPECT_FALSE(diff(a, withWord(a, "snare-top", "eq", "b3.name", "belly")).structural)
        << "a name sounds like nothing";
    const SessionDiff ways = diff(a, withWay(a, "gate", "by-level"));
    ASSERT_EQ(ways.sentences().size(), 1U);
    EXPECT_EQ(ways.sentences().front(), "Session · way of working in gate: by-level");
    EXPECT_FALSE(ways.structural);
}

TEST(Diff, SaysWhatWasCorrectedAboutStrokes) {
    const Stroke snare{12.5, "snare", "snare-top", 0.8, -1.0, StrokeKind::normal, 0.9, false};
    Session before = test::shortSession();
    before.strokes = Shared(std::vector<Stroke>{snare});
    const auto sentence = [&](std::vector<StrokeEdit> edits) {
        Session after = before;
        after.strokeEdits = std::move(edits);
        after.strokes = Shared(std::vector<Stroke>{});
        return diff(before, after).sentences().at(0);
    };
    Stroke moved = snare, kick = snare, ghost = snare;
    moved.time += 0.0125;
    kick.drum = "kick";
    ghost.kind = StrokeKind::ghost;
    EXPECT_EQ(sentence({{true, snare}}), "Strokes · Snare at 12.500 s removed");
    EXPECT_EQ(sentence({{false, snare}}), "Strokes · Snare at 12.500 s added");
    EXPECT_EQ(sentence({{true, snare}, {false, moved}}),
              "Strokes · Snare at 12.500 s moved by +12.50 ms");
    EXPECT_EQ(sentence({{true, snare}, {false, kick}}),
              "Strokes · Snare at 12.500 s given to Kick");
    EXPECT_EQ(sentence({{true, snare}, {false, ghost}}), "Strokes · Snare at 12.500 s now ghost");
}

TEST(Diff, StrokesOnlyMakeANewPlanWhereTheyAreHeard) {
    Session before = test::shortSession(), after = before;
    after.strokes = Shared(
        std::vector<Stroke>{{1.0, "snare", "snare-top", 0.9, 0.0, StrokeKind::accent, 1.0, false}});
    EXPECT_FALSE(diff(before, after).structural);
    after = withValue(after, "snare-top", "gate", "key-source", 1.0);
    Session more = after;
    more.strokes = Shared(std::vector<Stroke>{});
    EXPECT_TRUE(playsStrokes(after));
    EXPECT_TRUE(diff(after, more).structural);
}

TEST(Session, NotesWantedAreOneADrumAndSaidInWords) {
    const Session first = test::shortSession();
    const Session one = withNoteTarget(first, "snare", 196.0);
    EXPECT_DOUBLE_EQ(noteTarget(one, "snare"), 196.0);
    EXPECT_DOUBLE_EQ(noteTarget(one, "kick"), 0.0);
    const Session two = withNoteTarget(one, "snare", 201.0);
    EXPECT_EQ(two.notes.size(), 1U);
    ASSERT_EQ(diff(one, two).sentences().size(), 1U);
    EXPECT_NE(diff(one, two).sentences().front().find("note wanted of the Snare: 201.0 Hz"),
              std::string::npos);
    EXPECT_FALSE(diff(one, two).structural);
    EXPECT_TRUE(withNoteTarget(two, "snare", 0.0).notes.empty());
    EXPECT_EQ(diff(two, first).sentences().size(), 1U);
    EXPECT_NE(test::errorOf([&] { withNoteTarget(first, "kick", 5.0); }).find("20 to 1000 Hz"),
              std::string::npos);
}

TEST(Session, RowsAloneFeedTheMainAndLoseKeysThatAreGone) {
    Session s = test::shortSession();
    s = withKey(std::move(s), "snare-top", "gate", "kick-in");
    s = withKey(std::move(s), "rack-tom", "gate", "snare-top");
    requireRow(s, "snare-top").mute = true;
    const Session alone = withOnlyRows(s, {"snare-top", "rack-tom", "main"});
    EXPECT_EQ(alone.rows.size(), 3U);
    EXPECT_EQ(validate(alone), "");
    EXPECT_EQ(findRow(alone, "snare-top")->parent, "main") << "its bus is gone";
    EXPECT_FALSE(findRow(alone, "snare-top")->mute);
    EXPECT_EQ(findStage(*findRow(alone, "snare-top"), "gate")->key, "");
    EXPECT_EQ(findStage(*findRow(alone, "rack-tom"), "gate")->key, "snare-top");
    EXPECT_EQ(mainRow(alone), "main");
    EXPECT_EQ(mainRow(withOnlyRows(s, {"snare-top"})), "");
}

TEST(Document, UndoesAndRedoesWithSentences) {
    const Session first = test::shortSession();
    Document d(first);
    EXPECT_FALSE(d.canUndo());
    d.edit(withValue(first, "hat", "seat", "level", -3.0));
    const Session second = d.session();
    d.edit(withValue(second, "hat", "seat", "pan", 30.0));
    const Session third = d.session();
    EXPECT_NE(d.undoText().find("Pan"), std::string::npos);
    d.undo();
    EXPECT_EQ(d.session(), second);
    EXPECT_NE(d.redoText().find("Pan"), std::string::npos);
    d.undo();
    EXPECT_EQ(d.session(), first);
    d.redo();
    d.redo();
    EXPECT_EQ(d.session(), third);
    // A new edit ends the way forward.
    d.undo();
    d.edit(withValue(second, "hat", "seat", "level", -9.0));
    EXPECT_FALSE(d.canRedo());
}

TEST(Document, LogbookOnlyGrows) {
    const Session first = test::shortSession();
    Document d(first);
    d.edit(withValue(first, "hat", "seat", "level", -3.0));
    const std::size_t after = d.log().size();
    EXPECT_GT(after, 0U);
    d.undo();
    EXPECT_GT(d.log().size(), after);
    EXPECT_NE(d.log().back().what.text.find("Level"), std::string::npos);
}

TEST(Document, FiveHundredStepsOfUndoTakeNoMoreThanASession) {
    if (kCountsMemory) {
        Session s = test::shortSession();
        const Row usual = *findRow(s, "snare-top");
        for (int n = 0; n < 40; ++n) {
            Row row = usual;
            row.id = "row-" + std::to_string(n);
            row.name = "Row number " + std::to_string(n);
            s.rows.insert(s.rows.begin(), row);
        }
        const auto before = mallinfo2().uordblks;
        const Session copy = s;
        const auto session = mallinfo2().uordblks - before;
        Document d(s);
        const auto start = mallinfo2().uordblks;
        for (int n = 0; n < 500; ++n)
            d.edit(withValue(d.session(), "row-" + std::to_string(n % 40), "seat", "level",
                             -0.01 * (n + 1)));
        const auto after = mallinfo2().uordblks;
        const std::vector<LogEntry> log = d.log();
        const auto history = after - start - (mallinfo2().uordblks - after);
        const double share = static_cast<double>(history) / static_cast<double>(session);
        test::accuracy("undo of 500 edits on 40 rows, against one session", "<= 1", share, "",
                       share <= 1.0);
        EXPECT_LE(share, 1.0);
        EXPECT_EQ(copy, s);
        for (int n = 0; n < 500; ++n) d.undo();
        EXPECT_EQ(d.session(), s);
    }
}

TEST(Document, StepsTakeRowsStagesAndTheRestThereAndBack) {
    const Session first = test::shortSession();
    Session second = withValue(first, "hat", "seat", "level", -3.0);
    second = withStageAdded(std::move(second), "snare-top", "saturation");
    std::rotate(second.rows.begin(), second.rows.begin() + 1, second.rows.begin() + 3);
    std::erase_if(second.rows, [](const Row& row) { return row.id == "ride"; });
    second.time = steadyTime(99.0);
    for (const auto& [a, b] : {std::pair{first, second}, {second, first}}) {
        EXPECT_EQ(stepTaken(a, stepBetween(a, b)), b);
        const Step none = stepBetween(a, a);
        EXPECT_FALSE(none.rest);
        EXPECT_TRUE(none.order.empty() && none.rows.empty() && none.stages.empty() &&
                    none.values.empty());
    }
    const Session louder = withValue(first, "hat", "seat", "level", -3.0);
    const Step one = stepBetween(louder, withValue(louder, "hat", "seat", "level", -2.0));
    EXPECT_EQ(one.values.size(), 1U);
    EXPECT_TRUE(one.rows.empty() && one.stages.empty()) << "a value takes no stage along";
}

TEST(Document, LinesSayWhatTheyAreAboutAndWhy) {
    const Session first = test::shortSession();
    Document d(first);
    Session next = withValue(first, "hat", "seat", "level", -3.0);
    next = withValue(std::move(next), "snare-top", "gate", "threshold", -30.0);
    d.edit(std::move(next), {}, {{"hat", "seat", "It was too loud.", "hat.level"}});
    const auto at = [&](const char* row) {
        return *std::find_if(d.log().begin(), d.log().end(), [&](const LogEntry& e) {
            return e.what.row == row && !e.what.parameter.empty();
        });
    };
    EXPECT_EQ(at("hat").reason, "It was too loud.");
    EXPECT_EQ(at("hat").proposal, "hat.level");
    EXPECT_EQ(at("hat").what.parameter, "level");
    EXPECT_EQ(at("hat").what.to, "−3.0 dB");
    EXPECT_TRUE(at("snare-top").reason.empty()) << "a reason belongs to its own place";
    const Document back = documentFromJson(toJson(d), "log");
    EXPECT_EQ(back.log(), d.log());
}

TEST(Document, OneDragIsOneStep) {
    const Session first = test::shortSession();
    Document d(first);
    for (int i = 1; i <= 20; ++i)
        d.edit(withValue(d.session(), "hat", "seat", "level", -0.1 * i), "drag");
    const std::size_t lines = d.log().size();
    EXPECT_LE(lines, 2U) << "the logbook says where a drag ended, not every step";
    d.endGesture();
    d.edit(withValue(d.session(), "hat", "seat", "level", -5.0), "drag");
    d.undo();
    EXPECT_EQ(d.session(), withValue(first, "hat", "seat", "level", -0.1 * 20));
    d.undo();
    EXPECT_EQ(d.session(), first);
}

TEST(Diff, StrokesTouchTheRowsTheyDrive) {
    Session before = test::shortSession();
    before = withValue(before, "snare-top", "gate", "key-source", 1.0);
    Session after = before;
    after.strokes = Shared(
        std::vector<Stroke>{{1.0, "snare", "snare-top", 0.8, 0.0, StrokeKind::normal, 1.0, true}});
    EXPECT_EQ(diff(before, after).rows, std::vector<std::string>{"snare-top"});
    EXPECT_TRUE(diff(before, after).structural);
    // Where nothing is driven by strokes, nothing sounds or looks otherwise.
    before = withValue(before, "snare-top", "gate", "key-source", 0.0);
    after = before;
    after.strokes = Shared(
        std::vector<Stroke>{{1.0, "snare", "snare-top", 0.8, 0.0, StrokeKind::normal, 1.0, true}});
    EXPECT_TRUE(diff(before, after).rows.empty());
}

TEST(Session, OneKeySolosARowThenItsBusThenEverything) {
    Session s = test::shortSession();
    const std::string bus = findRow(s, "snare-top")->parent;
    ASSERT_EQ(findRow(s, bus)->kind, RowKind::bus);
    requireRow(s, "hat").solo = true;
    const auto soloed = [&] {
        std::vector<std::string> rows;
        for (const Row& r : s.rows) {
            if (r.solo) rows.push_back(r.id);
        }
        return rows;
    };
    s = withSoloStepped(std::move(s), "snare-top");
    EXPECT_EQ(soloed(), std::vector<std::string>{"snare-top"}) << "what else was soloed is not";
    s = withSoloStepped(std::move(s), "snare-top");
    EXPECT_EQ(soloed(), std::vector<std::string>{bus});
    s = withSoloStepped(std::move(s), "snare-top");
    EXPECT_TRUE(soloed().empty());
    EXPECT_THROW(withSoloStepped(s, "nobody"), Error);
}

// Any walk of edits leads back and forth to the very same sessions.
TEST(Document, RandomEditsAreUndoneAndRedoneExactly) {
    std::uint32_t seed = 7;
    const auto pick = [&](std::uint32_t below) {
        seed = seed * 1664525U + 1013904223U;
        return (seed >> 8U) % below;
    };
    Document document(test::shortSession());
    std::vector<Session> past{document.session()};
    for (int step = 0; step < 120; ++step) {
        Session next = document.session();
        const auto at = pick(static_cast<std::uint32_t>(next.rows.size()));
        const std::string row = next.rows[at].id;
        const auto stage = pick(static_cast<std::uint32_t>(next.rows[at].chain.size()));
        const std::string id = next.rows[at].chain[stage].id;
        try {
            switch (pick(7)) {
                case 0: {
                    const ParameterTable table =
                        processorType(next.rows[at].chain[stage].type).table;
                    const Parameter& p = table[pick(static_cast<std::uint32_t>(table.size()))];
                    next = withValue(std::move(next), row, id, p.id,
                                     fromPosition(p, pick(101) / 100.0));
                    break;
                }
                case 1:
                    next = withStageOn(std::move(next), row, id, pick(2) == 0);
                    break;
                case 2:
                    next = withStageAdded(std::move(next), row, "clipper");
                    break;
                case 3:
                    next = withStageRemoved(std::move(next), row, id);
                    break;
                case 4:
                    next = withStageMoved(std::move(next), row, id, pick(2) == 0 ? 1 : -1);
                    break;
                case 5:
                    next = withSoloStepped(std::move(next), row);
                    break;
                default:
                    next = withRole(std::move(next), row, pick(2) == 0 ? Role::tom : Role::ride);
            }
        } catch (const Error&) {
            continue;  // what is refused is no edit
        }
        ASSERT_EQ(validate(next), "") << "step " << step;
        document.edit(next);
        if (!(document.session() == past.back())) past.push_back(document.session());
    }
    ASSERT_GT(past.size(), 60U);
    for (std::size_t i = past.size() - 1; i-- > 0;) {
        document.undo();
        ASSERT_EQ(document.session(), past[i]) << i;
    }
    EXPECT_FALSE(document.canUndo());
    for (std::size_t i = 1; i < past.size(); ++i) {
        document.redo();
        ASSERT_EQ(document.session(), past[i]) << i;
    }
}

}  // namespace
}  // namespace ember
