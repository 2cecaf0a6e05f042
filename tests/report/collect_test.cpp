// A session collected into one folder opens elsewhere and sounds the same.
#include "core/report/collect.h"

#include "core/base/error.h"
#include "core/engine/render.h"
#include "core/session/file.h"
#include "core/session/snapshot.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <filesystem>

namespace ember {
namespace {

namespace fs = std::filesystem;
using test::TempFolder;

// Two recordings of one name from two folders, one of them played twice, and a snapshot.
struct Spread {
    TempFolder folder;
    Session session;
    Spread() {
        fs::create_directories(folder / "one");
        fs::create_directories(folder / "two");
        test::writeMono(folder / "one" / "take.wav", test::noise(0.3, 24000, 1));
        test::writeMono(folder / "two" / "Take.wav", test::noise(0.3, 24000, 2));
        session = test::twoElements(folder / "one" / "take.wav", folder / "two" / "Take.wav");
        session.name = "May/June";
        session = withSnapshotTaken(session, "Before", "", 1);
        session = withValue(session, "one", "seat", "level", -6.0);
    }
};

TEST(Collect, OpensElsewhereAndSoundsTheSame) {
    const Spread from;
    const AudioBuffer before = renderMix(from.session, test::sharedStore(), {});
    const Collected done =
        collectSession(Document(from.session), test::sharedStore(), from.folder / "out");
    EXPECT_EQ(done.files, 2) << "a snapshot's recordings are the same ones";
    EXPECT_TRUE(done.missing.empty());
    EXPECT_EQ(done.session.filename(), "May-June.cask");
    // Carried to another machine.
    const TempFolder elsewhere;
    fs::rename(from.folder / "out", elsewhere / "there");
    fs::remove_all(from.folder / "one");
    fs::remove_all(from.folder / "two");
    const fs::path file = elsewhere / "there" / "May-June.cask";
    const Session opened = withAbsolutePaths(loadDocument(file).session(), file);
    EXPECT_EQ(renderMix(opened, test::sharedStore(), {}), before);
    const Session back = withSnapshotUsed(opened, "snapshot-1");
    EXPECT_EQ(renderMix(back, test::sharedStore(), {}).frames(), before.frames());
    for (const Row& row : opened.rows) {
        for (const Source& source : row.sources) EXPECT_TRUE(fs::exists(source.file));
    }
}

TEST(Collect, SaysWhatIsMissingAndTouchesNothingThatIsThere) {
    const Spread from;
    fs::remove(from.folder / "two" / "Take.wav");
    const Collected done =
        collectSession(Document(from.session), test::sharedStore(), from.folder / "out");
    ASSERT_EQ(done.missing.size(), 1u);
    EXPECT_EQ(done.missing[0], "Take.wav");
    EXPECT_NE(test::errorOf([&] {
                  collectSession(Document(from.session), test::sharedStore(), from.folder / "out");
              }).find("new or empty"),
              std::string::npos);
    EXPECT_TRUE(fs::exists(from.folder / "out" / "audio" / "take.wav"));
}

TEST(Collect, LeavesNothingBehindWhenItIsCancelled) {
    const Spread from;
    int told = 0;
    EXPECT_THROW(collectSession(Document(from.session), test::sharedStore(), from.folder / "out",
                                [&](double, const std::string&) { return ++told < 2; }),
                 Cancelled);
    EXPECT_FALSE(fs::exists(from.folder / "out"));
    EXPECT_TRUE(fs::exists(from.folder / "one" / "take.wav"));
}

}  // namespace
}  // namespace ember
