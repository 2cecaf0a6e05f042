// Recordings on their way into a session: dropped, corrected, refused, added, begun as an earlier
// one.

#include "core/report/pack.h"
#include "core/session/file.h"
#include "tests/ui/ui_support.h"

#include <QComboBox>
#include <QToolButton>

#include <algorithm>

namespace ember {
namespace {

namespace fs = std::filesystem;
using test::drop;
using test::eventually;
using test::Window;

TEST(IntakePage, TakesADroppedFolderIsCorrectedAndBuildsTheSession) {
    const Window window(false);
    app::IntakePage& intake = window->intake();
    ASSERT_TRUE(intake.isVisible()) << "a first start invites to drop files";
    drop(intake, {QString::fromStdString(test::shortRecordingFolder().string())});
    ASSERT_TRUE(eventually([&] { return !intake.busy() && intake.table()->rowCount() == 12; }, 90));
    int ride = -1;
    for (int row = 0; row < 12; ++row) {
        if (intake.table()->item(row, app::IntakeTable::kName)->text() == "Ride") ride = row;
    }
    ASSERT_GE(ride, 0);
    auto* role =
        qobject_cast<QComboBox*>(intake.table()->cellWidget(ride, app::IntakeTable::kRole));
    EXPECT_TRUE(role->currentText().startsWith("Ride"));
    intake.table()->item(ride, app::IntakeTable::kName)->setText("Bell");
    role->setCurrentText("Crash");
    emit role->activated(role->currentIndex());
    QTest::keyClick(intake.findChild<QPushButton*>("intake-build"), Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return window->board().isVisible(); }, 90));
    const Row* bell = findRow(window.session(), "bell");
    ASSERT_NE(bell, nullptr);
    EXPECT_EQ(bell->role, Role::crash);
    EXPECT_NEAR(tempoHere(window.session()), 104.0, 0.5);
}

TEST(IntakePage, SaysWhatIsBrokenAndLoadsTheRest) {
    const Window window(false);
    fs::create_directories(window.folder() / "in");
    test::writeMono(window.folder() / "in/Kick.wav", test::noise(0.4, 96000));
    test::writeText(window.folder() / "in/Snare.wav", "no audio");
    drop(window->intake(), {QString::fromStdString((window.folder() / "in").string())});
    ASSERT_TRUE(eventually([&] { return window->intake().table()->rowCount() == 1; }, 60));
    auto* refused = window->intake().findChild<QLabel*>("intake-refused");
    EXPECT_TRUE(refused->isVisible());
    EXPECT_TRUE(refused->text().contains("Snare.wav"));
    EXPECT_EQ(refused->text().count('\n'), 0);
}

TEST(IntakePage, ExplainsANothingFolderAndCanBeCancelled) {
    const Window window(false);
    fs::create_directories(window.folder() / "empty");
    window->intake().take({QString::fromStdString((window.folder() / "empty").string())});
    auto* error = window->intake().findChild<QLabel*>("intake-error");
    ASSERT_TRUE(eventually([&] { return error->isVisible(); }));
    EXPECT_TRUE(error->text().contains("no usable audio"));
    window->intake().take({QString::fromStdString(test::shortRecordingFolder().string())});
    window->intake().cancel();
    ASSERT_TRUE(eventually([&] { return !window->intake().busy(); }, 60));
    EXPECT_EQ(window->intake().table()->rowCount(), 0);
    EXPECT_TRUE(window->workspace().empty());
}

TEST(IntakePage, AddsRecordingsToTheOpenSession) {
    const Window window;
    const Session before = window.session();
    test::writeMono(window.folder() / "Sub bass.wav", test::noise(0.3, 48000, 7));
    window->takeInto({QString::fromStdString((window.folder() / "Sub bass.wav").string())});
    app::IntakePage& intake = window->intake();
    auto* again = intake.findChild<QPushButton*>("intake-again");
    ASSERT_TRUE(eventually([&] { return !intake.busy() && again->isVisible(); }, 60));
    EXPECT_EQ(intake.table()->rowCount(), 1);
    QTest::keyClick(again, Qt::Key_Return);
    EXPECT_TRUE(window->board().isVisible()) << "back to the session, nothing added";
    EXPECT_EQ(window.session(), before);

    window->takeInto({QString::fromStdString((window.folder() / "Sub bass.wav").string())});
    auto* add = intake.findChild<QPushButton*>("intake-build");
    ASSERT_TRUE(eventually([&] { return !intake.busy() && add->isVisible(); }, 60));
    QTest::keyClick(add, Qt::Key_Return);
    EXPECT_TRUE(window->board().isVisible());
    ASSERT_EQ(window.session().rows.size(), before.rows.size() + 1);
    window->workspace().undo();
    EXPECT_EQ(window.session(), before) << "one edit";
    window->workspace().redo();
    window->workspace().save(QString::fromStdString((window.folder() / "s.cask").string()));
    window->workspace().open(QString::fromStdString((window.folder() / "s.cask").string()));
    EXPECT_EQ(window.session().rows.size(), before.rows.size() + 1);
}

TEST(IntakePage, GoesBackToTheOpenSessionWhereNothingCanBeAdded) {
    const Window window;
    test::writeText(window.folder() / "words.wav", "no audio");
    window->takeInto({QString::fromStdString((window.folder() / "words.wav").string())});
    ASSERT_TRUE(eventually([&] { return window->board().isVisible(); }, 60));
    EXPECT_TRUE(window->findChild<QLabel*>("message")->text().contains("words.wav"));
}

TEST(IntakePage, BeginsAsAnEarlierSessionStood) {
    const Window window;
    window->workspace().setValue("snare-top", "eq", "b3.gain", 5.0);
    window->workspace().setValue("overhead", "align", "trim", 3.0);
    const QString earlier = QString::fromStdString((window.folder() / "earlier.cask").string());
    window->workspace().save(earlier);
    window->openPaths({QString::fromStdString(test::shortRecordingFolder().string())});
    app::IntakePage& intake = window->intake();
    auto* build = intake.findChild<QPushButton*>("intake-build");
    ASSERT_TRUE(eventually([&] { return !intake.busy() && build->isVisible(); }, 90));
    auto* different = intake.findChild<QLabel*>("intake-different");
    EXPECT_FALSE(different->isVisible()) << "the usual groups, unless one asks";
    intake.beginLike("/nowhere.cask");
    EXPECT_TRUE(intake.findChild<QLabel*>("intake-error")->isVisible());
    intake.beginLike(earlier);
    EXPECT_TRUE(different->isVisible());
    EXPECT_TRUE(intake.findChild<QToolButton*>("intake-like")->text().contains("Begins as"));
    QTest::keyClick(build, Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return window->board().isVisible(); }, 90));
    EXPECT_EQ(window.value("snare-top", "eq", "b3.gain"), 5.0);
    EXPECT_EQ(window.value("overhead", "align", "trim"), 0.0);
    EXPECT_TRUE(window->workspace().path().isEmpty()) << "the earlier file is left alone";
    const auto& log = window->workspace().document().log();
    EXPECT_TRUE(std::any_of(log.begin(), log.end(), [](const LogEntry& line) {
        return line.what.text.find("Begun as") != std::string::npos;
    }));
}

TEST(IntakePage, BeginsAsATemplateThatWasHandedOn) {
    const Window window;
    const auto pack = window.folder() / "Our way.caskpack";
    packSession(Document(withValue(window.session(), "snare-top", "eq", "b3.gain", 5.0)),
                test::sharedStore(), pack, PackAs::likeness);
    window->openPaths({QString::fromStdString(test::shortRecordingFolder().string())});
    app::IntakePage& intake = window->intake();
    auto* build = intake.findChild<QPushButton*>("intake-build");
    ASSERT_TRUE(eventually([&] { return !intake.busy() && build->isVisible(); }, 90));
    test::writeText(window.folder() / "broken.caskpack", "no archive");
    intake.beginLike(QString::fromStdString((window.folder() / "broken.caskpack").string()));
    ASSERT_TRUE(eventually([&] { return !intake.busy(); }, 60));
    EXPECT_TRUE(intake.findChild<QLabel*>("intake-error")->text().contains("no whole pack"));
    EXPECT_TRUE(build->isVisible()) << "what was looked at is still there";
    intake.beginLike(QString::fromStdString(pack.string()));
    ASSERT_TRUE(eventually([&] { return !intake.busy(); }, 60));
    EXPECT_TRUE(intake.findChild<QToolButton*>("intake-like")->text().contains("Begins as"));
    EXPECT_TRUE(std::filesystem::is_directory(window.folder() / "Our way"));
    QTest::keyClick(build, Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return window->board().isVisible(); }, 90));
    EXPECT_EQ(window.value("snare-top", "eq", "b3.gain"), 5.0);
}

}  // namespace
}  // namespace ember
