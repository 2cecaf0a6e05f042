// A record beside the mix: records made of the session's own mix, so that what differs is known.

#include "core/report/reference.h"

#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/report/draft.h"
#include "core/report/through_music.h"
#include "core/session/bell.h"
#include "tests/support/measured_kit.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// The demo kit with its strokes, and `record` as what a reference plays.
struct Beside {
    test::TempFolder folder;
    Session session;

    explicit Beside(const std::function<Session(Session)>& record) {
        session = test::measuredKit().session;
        session.strokes = Shared(test::measuredKit().kit.strokes.strokes);
        std::erase_if(session.rows, [](const Row& r) { return r.kind == RowKind::reference; });
        RenderOptions options;
        options.withGuests = true;
        renderToFile(record(session), test::sharedStore(), options, folder / "record.wav",
                     SampleDepth::float32);
        Row row = makeRow();
        session.rows.insert(session.rows.end() - 1, row);
        EXPECT_EQ(validate(session), "");
    }
    [[nodiscard]] Row makeRow() const {
        Row row;
        row.id = row.name = "record";
        row.kind = RowKind::reference;
        row.role = Role::reference;
        row.chain = makeChain(RowKind::reference);
        for (int c = 0; c < 2; ++c) {
            Source side;
            side.file = (folder / "record.wav").string();
            side.channel = c;
            row.sources.push_back(side);
        }
        return row;
    }
    [[nodiscard]] ReferenceReading read() const {
        return readReference(session, test::sharedStore(), "record");
    }
    [[nodiscard]] ReferenceCheck check(const ReferenceReading& reading) const {
        return checkReference(session, test::sharedStore(), reading, 4.0, 34.0);
    }
};

const ReferenceMove* moveOf(const ReferenceCheck& check, ReferenceMove::Kind kind) {
    for (const ReferenceMove& m : check.moves) {
        if (m.kind == kind) return &m;
    }
    return nullptr;
}

TEST(Reference, IsReadWithItsTempoStrokesAndRange) {
    const Beside b([](Session s) { return s; });
    const ReferenceReading reading = b.read();
    EXPECT_NEAR(reading.timing.bpm, tempoAt(b.session.time, 0.0), 0.3);
    EXPECT_EQ(reading.begins, 0.0);
    EXPECT_GT(reading.ends, 39.0);
    ASSERT_GE(reading.heard.size(), 2U);
    for (const StrokesHeard& h : reading.heard) {
        EXPECT_GT(h.sure, 0.5) << h.drum;
        EXPECT_LE(h.sure, 1.0) << h.drum;
    }
    // Kick and snare of the session's own strokes are in it.
    for (const char* drum : {"kick", "snare"}) {
        int played = 0, found = 0;
        for (const Stroke& s : b.session.strokes.get()) {
            if (s.drum != drum || s.kind == StrokeKind::ghost || s.kind == StrokeKind::flam)
                continue;
            ++played;
            found += std::any_of(reading.strokes.begin(), reading.strokes.end(),
                                 [&](const Stroke& r) {
                                     return r.drum == drum && std::abs(r.time - s.time) < 0.025;
                                 })
                         ? 1
                         : 0;
        }
        EXPECT_GT(played, 20);
        EXPECT_GT(found, 0.8 * played) << drum;
    }
    const SongFigures& w = reading.whole;
    ASSERT_FALSE(w.low.level.empty());
    for (std::size_t i = 0; i < w.low.level.size(); ++i) {
        EXPECT_LE(w.low.level[i], w.levels.spectrum.level[i]);
        EXPECT_GE(w.high.level[i], w.levels.spectrum.level[i]);
    }
    EXPECT_FALSE(referenceText(b.session, reading).empty());
}

TEST(Reference, OfTheMixItselfProposesNothing) {
    const Beside b([](Session s) { return s; });
    const ReferenceReading reading = b.read();
    const ReferenceCheck check = b.check(reading);
    EXPECT_NEAR(check.louderDb, 0.0, 1.5);
    EXPECT_TRUE(check.drumsAlone) << "there is nothing but drums in either";
    for (const ReferenceMove& m : check.moves) ADD_FAILURE() << referenceMoveText(b.session, m);
    for (const OutsideBand& band : outsideBands(heldAgainst(reading, check), check.mix))
        EXPECT_LT(std::abs(band.db), 2.0) << band.hertz;
}

TEST(Reference, WithALouderSnareRaisesTheSnare) {
    const Beside b([](Session s) { return withDrumRaised(std::move(s), "snare", 6.0); });
    const ReferenceReading reading = b.read();
    const ReferenceCheck check = b.check(reading);
    const auto at = std::find_if(check.moves.begin(), check.moves.end(),
                                 [](const ReferenceMove& m) { return m.drum == "snare"; });
    ASSERT_NE(at, check.moves.end()) << check.moves.size();
    const ReferenceMove* move = &*at;
    EXPECT_GT(move->db, 1.5);
    EXPECT_LT(std::abs(move->afterDb), std::abs(move->beforeDb));
    // Made, it is not proposed as much again.
    Beside after = Beside([](Session s) { return withDrumRaised(std::move(s), "snare", 6.0); });
    after.session = withReferenceMove(after.session, *move);
    for (const ReferenceMove& m : after.check(reading).moves) {
        if (m.kind != ReferenceMove::Kind::drum || m.drum != "snare") continue;
        EXPECT_LT(std::abs(m.beforeDb), 0.6 * std::abs(move->beforeDb));
    }
}

TEST(Reference, ThatIsBrighterIsMetByABell) {
    const Beside b([](Session s) {
        const std::string main = mainRow(s);
        return withBell(std::move(s), main, 3000.0, 9.0, 0.8, "brighter").session;
    });
    const ReferenceReading reading = b.read();
    const ReferenceCheck check = b.check(reading);
    const auto bands = outsideBands(heldAgainst(reading, check), check.mix);
    ASSERT_FALSE(bands.empty());
    const ReferenceMove* move = moveOf(check, ReferenceMove::Kind::tone);
    ASSERT_NE(move, nullptr);
    EXPECT_EQ(move->row, "drum-bus") << "drums are held against drums";
    const auto most =
        std::max_element(move->bands.begin(), move->bands.end(),
                         [](const BandFit& x, const BandFit& y) { return x.gainDb < y.gainDb; });
    EXPECT_GT(most->gainDb, 1.0);
    EXPECT_NEAR(std::log2(most->frequency / 3000.0), 0.0, 1.0);
    EXPECT_LT(move->afterDb, 0.8 * move->beforeDb);
    const Session made = withReferenceMove(b.session, *move);
    EXPECT_EQ(validate(made), "");
    EXPECT_NE(made, b.session);
    EXPECT_FALSE(referenceCheckText(reading, check).empty());
}

TEST(Reference, GivesAStrokeOfADrumThatBeginsWithIt) {
    const Beside b([](Session s) { return s; });
    const ReferenceReading reading = b.read();
    for (const char* drum : {"kick", "snare"}) {
        const auto file =
            cutFromReference(b.session, test::sharedStore(), reading, drum, b.folder.path());
        EXPECT_EQ(file.filename(), std::string("record ") + drum + ".wav");
        const auto clip = test::sharedStore().open(file, b.session.sampleRate, {});
        ASSERT_GT(clip->frames(), 4000);
        EXPECT_LT(clip->frames(), 0.9 * b.session.sampleRate);
        // Most of it lies behind its first hundredth of a second.
        double early = 0.0, all = 0.0;
        for (Frames i = 0; i < clip->frames(); ++i) {
            const double x = static_cast<double>(clip->channel(0)[static_cast<std::size_t>(i)]);
            all += x * x;
            if (i < b.session.sampleRate / 10) early += x * x;
        }
        EXPECT_GT(early, 0.3 * all) << drum;
    }
    EXPECT_THROW(
        (void)cutFromReference(b.session, test::sharedStore(), reading, "gong", b.folder.path()),
        Error);
}

TEST(Reference, IsMovedWholeAndOnlyItself) {
    const Beside b([](Session s) { return s; });
    const Session moved = withReferenceAt(b.session, "record", 10.0, 12.5);
    for (const Source& side : findRow(moved, "record")->sources) EXPECT_EQ(side.offset, 2.5);
    for (std::size_t i = 0; i < moved.rows.size(); ++i) {
        if (moved.rows[i].id == "record") continue;
        EXPECT_EQ(moved.rows[i], b.session.rows[i]);
    }
    EXPECT_EQ(readReference(moved, test::sharedStore(), "record").begins, 2.5);
    EXPECT_THROW((void)withReferenceAt(b.session, "kick-in", 0.0, 1.0), Error);
    EXPECT_THROW((void)readReference(b.session, test::sharedStore(), "kick-in"), Error);
    EXPECT_THROW((void)readReference(b.session, test::sharedStore(), "nobody"), Error);
}

TEST(Draft, PlaysWhatIsStruckAsLoudAgainstEachOtherByTheBars) {
    const Beside b([](Session s) { return s; });
    const ReferenceReading reading = b.read();
    test::writeMono(b.folder / "thump.wav", test::sine(60.0, 0.5, 6000, 48000.0));
    test::writeMono(b.folder / "crack.wav", test::noise(0.5, 6000));
    const DraftMade made =
        withDraft(b.session, test::sharedStore(), reading,
                  {{"kick", b.folder / "thump.wav"}, {"snare", b.folder / "crack.wav"}});
    ASSERT_EQ(made.rows.size(), 2U);
    EXPECT_EQ(validate(made.session), "");
    const Pattern& pattern = made.session.pattern.get();
    for (std::size_t p = 0; p < 2; ++p) {
        const Row& row = *findRow(made.session, made.rows[p]);
        ASSERT_EQ(row.layers.size(), 1U);
        EXPECT_EQ(row.drum, p == 0 ? "kick-2" : "snare-2") << "its own drum";
        EXPECT_EQ(row.parent, p == 0 ? "kick-bus" : "snare-bus");
        int notes = 0;
        double furthest = 0.0;
        for (const Note& note : pattern.notes) {
            if (note.drum != row.drum) continue;
            ++notes;
            const double at = secondsOf(pattern, note, made.session.time);
            double nearest = 1.0;
            for (const Stroke& s : reading.strokes) {
                if (s.drum == (p == 0 ? "kick" : "snare"))
                    nearest = std::min(nearest, std::abs(s.time - at));
            }
            furthest = std::max(furthest, nearest);
        }
        EXPECT_GT(notes, 20);
        // One tempo and one song: where the record has them, but for what tempo and bar are off.
        EXPECT_LT(furthest, 0.12);
    }
    // Rendered alone its drums stand to each other as the record's do.
    Session alone = made.session;
    for (Row& row : alone.rows)
        row.solo = std::find(made.rows.begin(), made.rows.end(), row.id) != made.rows.end();
    RenderOptions options;
    options.to = 30.0;
    const AudioBuffer audio = renderMix(alone, test::sharedStore(), options);
    std::vector<Stroke> struck;
    for (const Note& note : pattern.notes) {
        Stroke s;
        s.drum = note.drum == "kick-2" ? "kick" : "snare";
        s.time = secondsOf(pattern, note, made.session.time);
        if (s.time < 30.0 && note.velocity > 0.7) struck.push_back(std::move(s));
    }
    const auto stands = drumsStand(SongSides(audio.channels.begin(), audio.channels.end()),
                                   audio.sampleRate, struck);
    ASSERT_EQ(stands.size(), 2U);
    const auto of = [&](const char* drum) {
        for (const DrumStands& d : reading.whole.drums) {
            if (d.drum == drum) return d.db;
        }
        return 0.0;
    };
    EXPECT_NEAR(stands[0].db - stands[1].db, of("kick") - of("snare"), 3.0);
    EXPECT_THROW((void)withDraft(b.session, test::sharedStore(), reading, {}), Error);
    EXPECT_THROW((void)withDraft(b.session, test::sharedStore(), reading,
                                 {{"gong", b.folder / "thump.wav"}}),
                 Error);
}

}  // namespace
}  // namespace ember
