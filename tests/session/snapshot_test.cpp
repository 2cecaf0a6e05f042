// Snapshots of the mix, and lines and reasons of a person's own in the logbook.

#include "core/session/snapshot.h"

#include "core/base/error.h"
#include "core/session/bleed.h"
#include "core/session/document.h"
#include "core/session/file.h"
#include "tests/support/support.h"

namespace ember {
namespace {

namespace fs = std::filesystem;

double threshold(const Session& s) {
    return requireStage(requireRow(const_cast<Session&>(s), "snare-top"), "gate").values[0];
}

TEST(Snapshot, BringsTheMixBackAndNothingElse) {
    Session s = withValue(test::shortSession(), "snare-top", "gate", "threshold", -30.0);
    s = withSnapshotTaken(std::move(s), "Tight", "for the verse", 1000);
    const std::string id = s.snapshots.front().id;
    s = withValue(std::move(s), "snare-top", "gate", "threshold", -45.0);
    s.rows.erase(s.rows.begin());
    s.spots.push_back({"fill", 1.0, 2.0});
    s.strokes = Shared(std::vector<Stroke>{
        {1.0, "snare", "snare-top", 0.9, -6.0, StrokeKind::accent, 1.0, false}});
    const Session back = withSnapshotUsed(s, id);
    EXPECT_EQ(back.rows, s.snapshots.front().rows.get());
    EXPECT_EQ(threshold(back), -30.0);
    EXPECT_EQ(back.strokes, s.strokes) << "what was heard since stays";
    EXPECT_EQ(back.spots, s.spots);
    EXPECT_EQ(back.snapshots, s.snapshots);
    EXPECT_EQ(withSnapshotUsed(s, "tight"), back) << "by name, any case";
    EXPECT_NE(test::errorOf([&] { withSnapshotUsed(s, "loose"); }).find("there are: Tight"),
              std::string::npos);
    EXPECT_NE(
        test::errorOf([&] { withSnapshotUsed(test::shortSession(), "x"); }).find("none was taken"),
        std::string::npos);
}

TEST(Snapshot, IsNamedJudgedAndDroppedWithSentencesAndUndo) {
    Document d(test::shortSession());
    d.edit(withSnapshotTaken(d.session(), "", "", 1000));
    EXPECT_EQ(d.session().snapshots.front().name, "Snapshot 1");
    d.edit(withSnapshotTaken(d.session(), "Dry", "", 2000));
    d.edit(withSnapshotNamed(d.session(), "Dry", "Drier"));
    d.edit(withSnapshotJudged(d.session(), "drier", Verdict::worse, "lost the room"));
    EXPECT_EQ(d.log().back().what.text, "Session · snapshot “Drier”: worse, lost the room");
    d.edit(withSnapshotDropped(d.session(), "Drier"));
    ASSERT_EQ(d.session().snapshots.size(), 1U);
    d.undo();
    ASSERT_EQ(d.session().snapshots.size(), 2U);
    EXPECT_EQ(d.session().snapshots[1].verdict, Verdict::worse);
    EXPECT_EQ(d.session().snapshots[1].id, "snapshot-2");
    // None of it is anything that an engine has to follow.
    const SessionDiff diff =
        ember::diff(test::shortSession(), withSnapshotTaken(test::shortSession(), "", "", 1));
    EXPECT_FALSE(diff.structural);
    EXPECT_TRUE(diff.moves.empty() && diff.rows.empty());
    EXPECT_THROW(withSnapshotNamed(d.session(), "Drier", ""), Error);
    EXPECT_THROW(verdictFrom("great"), Error);
    Session full = test::shortSession();
    for (std::size_t i = 0; i < kMostSnapshots; ++i)
        full = withSnapshotTaken(std::move(full), "", "", 1);
    EXPECT_NE(test::errorOf([&] { withSnapshotTaken(full, "", "", 1); }).find("drop one"),
              std::string::npos);
}

TEST(Snapshot, ItsClipIsNoEditAndStandsInEverythingOneMayGoBackTo) {
    Document d(test::shortSession());
    d.edit(withSnapshotTaken(d.session(), "Dry", "", 1000));
    d.edit(withValue(d.session(), "hat", "gate", "threshold", -47.0));
    d.edit(withSnapshotJudged(d.session(), "Dry", Verdict::better, ""));
    d.undo();
    const std::size_t lines = d.log().size();
    MixClip clip;
    clip.audio = {{"/a.flac", "h", 0, 2.0}, {"/a.flac", "h", 1, 2.0}};
    clip.from = 2.0;
    clip.to = 10.0;
    EXPECT_TRUE(d.keepClip("snapshot-1", 1000, clip));
    EXPECT_FALSE(d.keepClip("snapshot-1", 999, clip)) << "another one of that name";
    EXPECT_EQ(d.log().size(), lines);
    EXPECT_EQ(d.session().snapshots[0].clip, clip);
    d.redo();
    EXPECT_EQ(d.session().snapshots[0].clip, clip);
    EXPECT_EQ(d.session().snapshots[0].verdict, Verdict::better);
    d.undo();
    d.undo();
    EXPECT_EQ(d.session().snapshots[0].clip, clip);
    d.undo();
    EXPECT_TRUE(d.session().snapshots.empty());
    EXPECT_TRUE(d.files().contains("/a.flac")) << "needed by what may be done again";
    d.redo();
    EXPECT_EQ(d.session().snapshots[0].clip, clip);
}

TEST(Snapshot, IsSavedWithPathsBesideTheSession) {
    const test::TempFolder folder;
    Session s = withSnapshotTaken(test::shortSession(), "First", "a note", 1234567);
    s = withSnapshotJudged(std::move(s), "First", Verdict::better, "more snap");
    requireRow(s, "hat").mute = true;
    const fs::path file = folder / "S.json";
    saveDocument(file, Document(withRelativePaths(s, file)));
    const Session stored = loadDocument(file).session();
    for (const Row& row : stored.snapshots.front().rows.get()) {
        for (const Source& source : row.sources)
            EXPECT_FALSE(fs::path(source.file).is_absolute()) << source.file;
    }
    EXPECT_EQ(withAbsolutePaths(stored, file), s);
}

TEST(Snapshot, ReadsRecordingsWhereTheSessionReadsThem) {
    Session s = withSnapshotTaken(test::shortSession(), "First", "", 1);
    ASSERT_FALSE(s.rows.front().sources.front().hash.empty());
    for (Row& row : s.rows) {
        for (Source& source : row.sources) source.file = "/elsewhere/" + source.hash + ".wav";
    }
    EXPECT_EQ(withSnapshotUsed(s, "First").rows, s.rows);
}

TEST(Logbook, KeepsNotesAndReasonsOfAPersonsOwn) {
    Document d(test::shortSession());
    d.addNote("the second chorus drags", {}, {}, 61.5);
    d.addNote("try the other microphone", "snare-top", "gate");
    EXPECT_THROW(d.addNote(""), Error);
    Session moved = withValue(d.session(), "hat", "gate", "threshold", -41.0);
    moved = withValue(std::move(moved), "hat", "gate", "hold", 40.0);
    d.edit(std::move(moved));
    const std::size_t last = d.log().size() - 1;
    d.explain(last, "it cut the open hats");
    EXPECT_EQ(d.log()[last].reason, "it cut the open hats");
    EXPECT_EQ(d.log()[last - 1].reason, "it cut the open hats") << "one edit, one reason";
    EXPECT_TRUE(d.log()[1].reason.empty()) << "a note has none";
    EXPECT_THROW(d.explain(last + 1, "x"), Error);
    const Document again = documentFromJson(toJson(d), "again");
    EXPECT_EQ(again.log(), d.log());
    EXPECT_TRUE(again.log()[0].note);
    EXPECT_EQ(again.log()[0].at, 61.5);
    EXPECT_EQ(again.log()[1].what.stage, "gate");
    // After a note the next drag begins a step of its own.
    d.edit(withValue(d.session(), "hat", "gate", "threshold", -42.0), "drag");
    d.addNote("between");
    d.edit(withValue(d.session(), "hat", "gate", "threshold", -43.0), "drag");
    d.undo();
    EXPECT_EQ(requireStage(requireRow(const_cast<Session&>(d.session()), "hat"), "gate").values[0],
              -42.0);
}

TEST(SessionFormat, TheSeventhFormatOpensUnchangedAndHasNoSnapshots) {
    const fs::path file = fs::path(EMBER_SOURCE_FOLDER) / "tests/data/session-v7.json";
    const Document seventh = documentFromJson(test::readText(file), "seventh");
    const Session& s = seventh.session();
    EXPECT_TRUE(s.snapshots.empty() && s.extra.empty());
    const Stage* bleed = findBleed(*findRow(s, "kick-in"));
    ASSERT_NE(bleed, nullptr);
    EXPECT_EQ(bleed->drums.at("hihat"), -24.0);
    EXPECT_EQ(documentFromJson(toJson(seventh), "eighth").session(), s);
    // What the eighth has beside comes back; what is wrong in it is refused with its place.
    const Session taken = withSnapshotTaken(s, "One", "", 5);
    const std::string text = toJson(Document(taken));
    EXPECT_EQ(documentFromJson(text, "taken").session(), taken);
    const auto wrong = [&](const std::string& from, const std::string& to) {
        std::string changed = text;
        changed.replace(changed.find(from), from.size(), to);
        return test::errorOf([&] { documentFromJson(changed, "wrong"); });
    };
    EXPECT_NE(wrong("\"name\": \"One\"", "\"name\": 7").find("snapshots[0].name"),
              std::string::npos);
    EXPECT_NE(
        wrong("\"name\": \"One\"", "\"name\": \"One\", \"verdict\": \"great\"").find("verdict"),
        std::string::npos);
    Session twins = taken;
    twins.snapshots.push_back(twins.snapshots.front());
    EXPECT_NE(test::errorOf([&] {
                  documentFromJson(toJson(Document(twins)), "twins");
              }).find("another id"),
              std::string::npos);
}

}  // namespace
}  // namespace ember
