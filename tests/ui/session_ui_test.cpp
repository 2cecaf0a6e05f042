// Playing, comparing, saving and recovering in the window.

#include "core/advise/recordings.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/session/file.h"
#include "tests/ui/ui_support.h"

#include <cmath>

namespace ember {
namespace {

namespace fs = std::filesystem;
using test::eventually;
using test::Window;

TEST(Playing, MovesPlayheadAndMetersAndMakesSound) {
    const Window window;
    EXPECT_EQ(window->player().position(), 0.0);
    window->player().setMonitorDb(0.0);
    window->player().play();
    ASSERT_TRUE(eventually([&] { return window->player().position() > 3.0; }));
    const RowMeter* meter = window->player().meter("main");
    ASSERT_NE(meter, nullptr);
    float loudest = 0.0F;
    ASSERT_TRUE(eventually([&] {
        loudest = std::max(loudest, window->player().meter("main")->peak[0]);
        return loudest > 0.05F;
    }));
    window->player().stop();
    EXPECT_FALSE(window->player().playing());
    const auto heard = window.device()->recorded();
    EXPECT_GT(test::peakDb(heard[0]), -20.0) << "sound came out";
    EXPECT_LE(test::peakDb(heard[0]), Engine::kCeilingDb + 0.001);
}

TEST(Playing, LoopsWhatIsDraggedOnTheOverview) {
    const Window window;
    app::Overview& overview = window->overview();
    const QPoint from(static_cast<int>(overview.xAt(4.0)), 20),
        to(static_cast<int>(overview.xAt(6.0)), 20);
    QTest::mousePress(&overview, Qt::LeftButton, Qt::NoModifier, from);
    for (const int x : {from.x() + 10, to.x()}) {
        QMouseEvent move(QEvent::MouseMove, QPoint(x, 20), overview.mapToGlobal(QPoint(x, 20)),
                         Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&overview, &move);
    }
    QTest::mouseRelease(&overview, Qt::LeftButton, Qt::NoModifier, to);
    const LoopSpan loop = window.session().loop;
    EXPECT_TRUE(loop.on);
    EXPECT_NEAR(loop.from, 4.0, 0.35);
    EXPECT_NEAR(loop.to, 6.0, 0.35);
    window->player().play();
    bool wrapped = false;
    double last = 0.0;
    ASSERT_TRUE(eventually([&] {
        const double now = window->player().position();
        wrapped = wrapped || now < last - 0.5;
        last = now;
        EXPECT_LT(now, loop.to + 0.2);
        return wrapped;
    }));
    window->player().stop();
    QTest::mouseDClick(&overview, Qt::LeftButton, Qt::NoModifier, to);
    EXPECT_FALSE(window.session().loop.on);
}

TEST(Playing, SaysWhenTheDeviceGoesAndGoesOnWithAnother) {
    const Window window;
    window->player().play();
    ASSERT_TRUE(eventually([&] { return window->player().position() > 0.2; }));
    window.device()->unplug();
    ASSERT_TRUE(eventually([&] { return !window->player().playing(); }));
    EXPECT_TRUE(window->lastMessage().contains("unplugged"));
    const double at = window->player().position();
    window->player().play();
    ASSERT_TRUE(eventually([&] { return window->player().position() > at + 0.2; }));
}

TEST(Comparing, IsMatchedAndSaidAndEnds) {
    const Window window;
    window->board().select({"snare-top", Column::dynamics});
    auto* before = window->topBar().findChild<QPushButton*>("before");
    before->click();
    EXPECT_TRUE(window->player().hearingBefore());
    ASSERT_TRUE(
        eventually([&] { return window->player().compareText().contains("level-matched"); }, 60));
    before->click();
    EXPECT_FALSE(window->player().hearingBefore());
    EXPECT_TRUE(window->player().compareText().isEmpty());
}

TEST(Keeping, UndoAndRedoSayWhatTheyDo) {
    const Window window;
    window->workspace().setValue("hat", "seat", "level", -9.0);
    QAction* undo = nullptr;
    for (QAction* action : window->findChildren<QAction*>()) {
        if (action->text().startsWith("Undo:")) undo = action;
    }
    ASSERT_NE(undo, nullptr);
    EXPECT_TRUE(undo->text().contains("Hat") && undo->text().contains("Level"))
        << undo->text().toStdString();
    undo->trigger();
    EXPECT_DOUBLE_EQ(window.value("hat", "seat", "level"), -6.0);
    window->workspace().redo();
    EXPECT_DOUBLE_EQ(window.value("hat", "seat", "level"), -9.0);
}

TEST(Keeping, SavesAndOpensTheSameSession) {
    const Window window;
    window->workspace().setValue("hat", "seat", "level", -9.0);
    const Session session = window.session();
    const QString path = QString::fromStdString((window.folder() / "mine.json").string());
    ASSERT_TRUE(window->saveTo(path));
    EXPECT_FALSE(window->workspace().unsaved());
    const Window other(false);
    ASSERT_TRUE(other->openSession(path));
    EXPECT_EQ(other.session(), session);
    ASSERT_TRUE(other.settle());
    test::writeText(window.folder() / "broken.json", "{\"format\"");
    EXPECT_FALSE(
        other->openSession(QString::fromStdString((window.folder() / "broken.json").string())));
    EXPECT_TRUE(other->lastMessage().contains("broken.json"));
    EXPECT_EQ(other.session(), session) << "what was open stays open";
    EXPECT_FALSE(other->saveTo("/nowhere/at/all.json"));
}

TEST(Keeping, OpensASessionWhoseRecordingIsMissing) {
    const Window window;
    Session session = window.session();
    requireRow(session, "hat").sources[0].file = "/nowhere/Hat.wav";
    saveDocument(window.folder() / "s.json", Document(session));
    const Window other(false);
    ASSERT_TRUE(other->openSession(QString::fromStdString((window.folder() / "s.json").string())));
    ASSERT_TRUE(eventually([&] { return other->player().ready(); }, 60));
    EXPECT_TRUE(eventually([&] { return other->lastMessage().contains("Hat"); }));
    const Row& hat = *findRow(other.session(), "hat");
    EXPECT_EQ(app::cellOf(other.session(), hat, Column::align, nullptr).state,
              app::CellState::attention);
}

TEST(Keeping, RecoversWhatACrashLeftBehind) {
    Session session;
    const test::TempFolder folder;
    const QString recovery = QString::fromStdString((folder / "recovery").string());
    {
        const Window window;
        window->workspace().setValue("hat", "seat", "level", -11.0);
        session = window.session();
        window->workspace().autosave();
        // The crash: copy what lies on the disk before the window can tidy up, under a number no
        // process has.
        fs::create_directories(folder / "recovery");
        for (const auto& item : fs::directory_iterator(window.folder() / "recovery")) {
            const std::string name = item.path().filename().string();
            fs::copy_file(
                item.path(),
                folder / "recovery" / ("recovery-999999999" + name.substr(name.find(".json"))));
        }
    }
    ASSERT_EQ(app::Workspace::leftovers(recovery).size(), 1);
    app::Workspace workspace(recovery);
    workspace.recover(app::Workspace::leftovers(recovery).first());
    EXPECT_EQ(workspace.session(), session);
    EXPECT_TRUE(workspace.unsaved());
}

TEST(Keeping, SaysWhichRecordingHasChanged) {
    const Window first;
    const fs::path folder = first.folder() / "moved";
    Session session = first.session();
    fs::create_directories(folder);
    const fs::path old = findRow(session, "hat")->sources.front().file;
    Source& source = findRow(session, "hat")->sources.front();
    fs::copy_file(source.file, folder / "Hat.wav");
    source.file = (folder / "Hat.wav").string();
    saveDocument(folder / "s.json", Document(session));
    test::writeMono(folder / "Hat.wav", test::noise(0.1F, 48000));
    ASSERT_TRUE(first->openSession(QString::fromStdString((folder / "s.json").string())));
    EXPECT_TRUE(eventually([&] { return first->lastMessage().contains("has changed"); }));
    AudioStore& store = first->workspace().store();
    const Session changed = first->workspace().session();
    ASSERT_EQ(changedRecordings(changed, store).size(), 1U);
    EXPECT_TRUE(
        changedRecordings(withRecordingAsItIs(changed, store, folder / "Hat.wav"), store).empty());
    EXPECT_THROW((void)withRecordingFound(changed, store, folder / "Hat.wav", folder / "Hat.wav"),
                 Error);
    const Session mended = withRecordingFound(changed, store, folder / "Hat.wav", old);
    EXPECT_EQ(findRow(mended, "hat")->sources.front().file, old.string());
}

TEST(Keeping, SteadyWorkIsKeptToo) {
    const test::TempFolder folder;
    const QString recovery = QString::fromStdString((folder / "recovery").string());
    app::Workspace workspace(recovery);
    workspace.begin(test::shortSession());
    int n = 0;
    // An edit at every look, never a pause: the copy comes all the same.
    EXPECT_TRUE(eventually(
        [&] {
            workspace.setValue("hat", "seat", "level", -11.0 - 0.01 * (++n % 500));
            return !QDir(recovery).entryList({"recovery-*.json"}).isEmpty();
        },
        20));
    EXPECT_GT(n, 10);
}

TEST(Keeping, AnOldCopyGoesOnlyWhenTheNewOneIsThere) {
    const test::TempFolder folder;
    const QString left = QString::fromStdString((folder / "recovery-999999999.json").string());
    saveDocument(left.toStdString(), Document(test::shortSession()));
    // Nothing can be written where a file stands in the folder's place.
    test::writeText(folder / "taken", "a file");
    app::Workspace workspace(QString::fromStdString((folder / "taken").string()));
    workspace.recover(left);
    EXPECT_FALSE(workspace.empty());
    EXPECT_TRUE(QFile::exists(left));
    app::Workspace other(QString::fromStdString((folder / "fresh").string()));
    other.recover(left);
    EXPECT_FALSE(QFile::exists(left));
    EXPECT_EQ(QDir(QString::fromStdString((folder / "fresh").string()))
                  .entryList({"recovery-*.json"})
                  .size(),
              1);
}

TEST(Comparing, ASeatHasNoBefore) {
    const Window window;
    ASSERT_EQ(window->topBar().scope(), app::CompareScope::cell) << "what a fresh window compares";
    window->board().select({"hat", Column::seat});
    auto* before = window->topBar().findChild<QPushButton*>("before");
    before->click();
    EXPECT_FALSE(window->player().hearingBefore());
    EXPECT_FALSE(before->isChecked());
    EXPECT_TRUE(window->lastMessage().contains("never off")) << window->lastMessage().toStdString();
}

// --- In a real window, under a real (virtual) display -------------------------------------

TEST(RealWindow, IsPlayedWithKeysAndSavedAsAStrangerWould) {
    ASSERT_TRUE(test::inRealWindow());
    const Window window;
    window->activateWindow();
    app::Board& board = window->board();
    board.setFocus();
    board.select({"snare-top", Column::gate});
    QTest::keyClick(&*window, Qt::Key_Return);
    QTest::keyClick(&board, Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return window->bench().isVisible(); }));
    auto& plot = *window->bench().editors().front()->mainPlot();
    const double before = window.value("snare-top", "gate", "threshold");
    ASSERT_TRUE(eventually([&] { return plot.handlePixel("threshold").y() > 20.0; }));
    test::dragHandle(plot, "threshold", 0, -30);
    EXPECT_GT(window.value("snare-top", "gate", "threshold"), before);
    window->player().toggle();
    ASSERT_TRUE(eventually([&] { return window->player().position() > 0.5; }));
    window->player().toggle();
    QTest::keyClick(&window->bench(), Qt::Key_Escape);
    ASSERT_TRUE(eventually([&] { return board.isVisible(); }));
    ASSERT_TRUE(window->saveTo(QString::fromStdString((window.folder() / "real.json").string())));
    EXPECT_EQ(withAbsolutePaths(loadDocument(window.folder() / "real.json").session(),
                                window.folder() / "real.json"),
              window.session());
}

TEST(RealWindow, NothingIsCutOffAtItsUsualSize) {
    ASSERT_TRUE(test::inRealWindow());
    const Window window;
    EXPECT_LE(window->minimumSizeHint().width(), 1280);
    EXPECT_LE(window->minimumSizeHint().height(), 800);
    for (const auto& place : {app::BoardPlace{"snare-top", Column::gate},
                              app::BoardPlace{"snare-top", Column::dynamics},
                              app::BoardPlace{"snare-top", Column::seat}}) {
        window->showBench(place);
        QApplication::processEvents();
        for (const QWidget* widget : window->bench().findChildren<QWidget*>()) {
            if (!widget->isVisible() || widget->visibleRegion().isEmpty()) continue;
            const QRect area(widget->mapTo(&*window, QPoint(0, 0)), widget->size());
            EXPECT_TRUE(window->rect().contains(area) || widget->inherits("QScrollBar"))
                << widget->metaObject()->className() << " " << widget->objectName().toStdString();
        }
        for (const auto* label : window->findChildren<QLabel*>()) {
            if (label->isVisible() && !label->wordWrap() && !label->text().isEmpty() &&
                !label->text().contains('<')) {
                // A text that has just changed is laid out a moment later.
                EXPECT_TRUE(eventually(
                    [&] {
                        return label->width() + 2 >=
                               label->fontMetrics().horizontalAdvance(label->text());
                    },
                    5.0))
                    << label->text().toStdString();
            }
        }
    }
}

// Minutes are loud by the average of some seconds, not by single peaks.
TEST(LoudMinutes, CountWhatIsLoudOnAverage) {
    const Window window(false);
    const auto play = [&](const std::vector<float>& x, const char* name) {
        const auto file = window.folder() / name;
        test::writeMono(file, x);
        window->workspace().begin(test::oneElement(file));
        ASSERT_TRUE(window.settle());
        window->player().setMonitorDb(0.0);
        window->player().play();
    };
    std::vector<float> clicks(48000 * 12, 0.0F);
    for (std::size_t at = 0; at < clicks.size(); at += 12000) std::fill_n(&clicks[at], 40, 0.9F);
    play(clicks, "clicks.wav");
    ASSERT_TRUE(test::eventually([&] { return window->player().position() > 4.0; }));
    EXPECT_DOUBLE_EQ(window->player().loudMinutes(), 0.0);
    window->player().stop();
    play(test::noise(0.6, 48000 * 12), "noise.wav");
    EXPECT_TRUE(test::eventually([&] { return window->player().loudMinutes() > 0.0; }));
    window->player().stop();
}

}  // namespace
}  // namespace ember
