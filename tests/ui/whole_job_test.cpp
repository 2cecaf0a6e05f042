// The whole job through the window: files dropped, alignment and gates accepted, an equaliser
// drawn, a parallel built, a snapshot compared, the mix looked over, delivered and opened again.

#include "app/window/deliver_dialog.h"
#include "core/audio/file.h"
#include "tests/ui/ui_support.h"

#include <QInputDialog>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QTableWidget>
#include <QTimer>

namespace ember {
namespace {

using test::eventually;
using test::Window;

TEST(WholeJob, GoesFromDroppedFilesToADeliveredMixThatOpensAgain) {
    const Window window(false);
    const auto key = [&](Qt::Key k, Qt::KeyboardModifiers with = Qt::NoModifier) {
        QTest::keyClick(&*window, k, with);
    };
    // Files.
    app::IntakePage& intake = window->intake();
    test::drop(intake, {QString::fromStdString(test::shortRecordingFolder().string())});
    ASSERT_TRUE(eventually([&] { return !intake.busy() && intake.table()->rowCount() == 12; }, 90));
    QTest::keyClick(intake.findChild<QPushButton*>("intake-build"), Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return window->board().isVisible(); }, 90));
    ASSERT_TRUE(window.listened() && window.settle());
    // As it came, and then alignment and gates.
    QTimer::singleShot(0, [&] {
        auto* ask = window->findChild<QInputDialog*>();
        ask->setTextValue("As it came");
        ask->accept();
    });
    key(Qt::Key_T, Qt::ControlModifier);
    ASSERT_EQ(window.session().snapshots.size(), 1U);
    window->activateWindow();
    ASSERT_TRUE(eventually([&] { return window->isActiveWindow(); }));
    ASSERT_FALSE(window->listener().open("align").empty());
    key(Qt::Key_A, Qt::ShiftModifier);
    EXPECT_TRUE(window->listener().open("align").empty());
    ASSERT_FALSE(window->listener().open("gate").empty());
    window->listener().acceptAll("gate");
    EXPECT_TRUE(findStage(*findRow(window.session(), "snare-top"), "gate")->on);
    // An equaliser by mouse.
    app::StageEditor& editor = window.bench("snare-top", Column::repair);
    app::Plot& plot = *editor.mainPlot();
    const QPoint ground(static_cast<int>(plot.xAxis->coordToPixel(400.0)),
                        static_cast<int>(plot.yAxis->coordToPixel(0.0)));
    QTest::mouseDClick(&plot, Qt::LeftButton, Qt::NoModifier, ground);
    ASSERT_FALSE(plot.handles().isEmpty());
    test::dragHandle(plot, plot.handles().back().id, 60, -40);
    const Stage drawn = *findStage(*findRow(window.session(), "snare-top"), "eq");
    EXPECT_TRUE(drawn.on);
    // A parallel beside the mix, raised.
    key(Qt::Key_F, Qt::ControlModifier);
    for (QAction* action :
         window->flow().findChild<QPushButton*>("flow-new-bus")->menu()->actions()) {
        if (action->objectName() == "ready-press") action->trigger();
    }
    ASSERT_NE(findRow(window.session(), "press"), nullptr);
    window->workspace().setValue("press", "seat", "level", -9.0);
    // Against what it was.
    key(Qt::Key_D, Qt::ControlModifier);
    ASSERT_TRUE(window->comparison().isVisible());
    QTableWidget& figures = window->comparison().figures().table();
    ASSERT_TRUE(eventually(
        [&] {
            return window->comparison().settled() && figures.rowCount() > 0 &&
                   window->player().variantsReady();
        },
        120));
    EXPECT_GT(window->comparison().figures().settings().count(), 20);
    QTest::keyClick(&figures, Qt::Key_1);
    ASSERT_TRUE(eventually([&] { return window->player().frame().heard != 0; }));
    // Looked over and delivered.
    key(Qt::Key_L, Qt::ControlModifier);
    ASSERT_TRUE(window->logbook().isVisible());
    EXPECT_GT(window->logbook().table().rowCount(), 30);
    app::DeliverPanel& deliver = window->logbook().deliver();
    window->findChild<QPushButton*>("deliver-check")->click();
    ASSERT_TRUE(eventually([&] { return !deliver.working() && deliver.checks().count() > 8; }, 90));
    const auto sheet = window.folder() / "recall.pdf", mix = window.folder() / "mix.wav";
    deliver.writeSheet(QString::fromStdString(sheet.string()));
    ASSERT_TRUE(eventually([&] { return !deliver.working(); }, 90));
    EXPECT_TRUE(test::readText(sheet).starts_with("%PDF-"));
    app::DeliverDialog dialog(window->workspace(), window->listener(), false, &*window);
    dialog.setFolder(QString::fromStdString(window.folder().path().string()));
    dialog.setNames("{what}");
    QSignalSpy finished(&dialog, &app::DeliverDialog::finishedWith);
    dialog.start();
    ASSERT_TRUE(eventually([&] { return finished.count() == 1; }, 90));
    EXPECT_TRUE(finished[0][1].toBool()) << finished[0][0].toString().toStdString();
    EXPECT_GT(test::peakDb(readAudio(mix).channels[0]), -40.0);
    // Opened again it is what it was.
    const QString file = QString::fromStdString((window.folder() / "song.cask").string());
    ASSERT_TRUE(eventually([&] { return !window->clips().busy(); }));
    ASSERT_TRUE(window->saveTo(file));
    Session worked = window.session();
    ASSERT_TRUE(worked.snapshots.front().clip) << "how it sounded as it came";
    EXPECT_FALSE(window->workspace().unsaved());
    window->openPaths({file});
    // Its clip lies beside it now.
    const MixClip clip = *window.session().snapshots.front().clip;
    EXPECT_EQ(clip.audio[0].hash, worked.snapshots.front().clip->audio[0].hash);
    worked.snapshots.front().clip = clip;
    EXPECT_EQ(window.session(), worked);
    EXPECT_EQ(*findStage(*findRow(window.session(), "snare-top"), "eq"), drawn);
    EXPECT_EQ(window.session().snapshots.front().name, "As it came");
}

}  // namespace
}  // namespace ember
