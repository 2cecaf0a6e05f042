// What a person arranges in the window: controls of their own, streams of a row, the state of the
// work; through undo, saving and opening again.
#include "app/bench/control_dialog.h"
#include "app/bench/control_strip.h"
#include "app/board/ceiling_dialog.h"
#include "app/board/row_menu.h"
#include "app/logbook/work_dialog.h"
#include "core/session/control.h"
#include "core/session/file.h"
#include "core/session/split.h"
#include "tests/ui/ui_support.h"

#include <QApplication>
#include <QMenu>
#include <QPushButton>

#include <algorithm>

namespace ember {
namespace {

using app::CeilingDialog;
using app::ControlBar;
using app::ControlDialog;
using app::WorkDialog;
using test::Window;

ControlDialog* openControlDialog(const Window& window) {
    auto* make = window->findChild<QToolButton*>("control-new");
    EXPECT_NE(make, nullptr);
    EXPECT_TRUE(make->isVisible());
    make->setFocus();
    QTest::keyClick(make, Qt::Key_Space);
    auto* dialog = window->findChild<ControlDialog*>();
    if (dialog == nullptr) {
        make->click();
        dialog = window->findChild<ControlDialog*>();
    }
    return dialog;
}

void choose(ControlDialog& dialog, const QString& parameter) {
    auto* choice = dialog.findChild<QComboBox*>("control-choice");
    const int at = choice->findText(parameter);
    ASSERT_GE(at, 0) << parameter.toStdString();
    choice->setCurrentIndex(at);
    QTest::keyClick(dialog.findChild<QPushButton*>("control-add"), Qt::Key_Return);
}

TEST(OwnControls, OfOneNameAreOneBigControl) {
    const Window window;
    ASSERT_TRUE(window.settle());
    for (const char* row : {"kick-in", "snare-top"}) {
        window->showBench({row, std::nullopt});
        ControlDialog* dialog = openControlDialog(window);
        ASSERT_NE(dialog, nullptr);
        dialog->setObjectName("done");
        choose(*dialog, "Compressor · Threshold");
        auto* together = dialog->findChild<QCheckBox*>("control-together");
        const bool second = std::string(row) == "snare-top";
        EXPECT_EQ(together->text().contains("Kick In"), second) << together->text().toStdString();
        if (second) {
            together->setFocus();
            QTest::keyClick(together, Qt::Key_Return);
            EXPECT_TRUE(movesTogether(window.session(), "Control 1"));
        }
        dialog->close();
        delete dialog;
    }
    const double kick = window.value("kick-in", "compressor", "threshold");
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    auto* bar = window->findChild<ControlBar*>("control-1");
    ASSERT_NE(bar, nullptr);
    EXPECT_TRUE(bar->toolTip().contains("Moves Kick In too")) << bar->toolTip().toStdString();
    bar->setFocus();
    QTest::keyClick(bar, Qt::Key_PageUp);
    EXPECT_NE(window.value("kick-in", "compressor", "threshold"), kick);
    window->workspace().undo();
    EXPECT_EQ(window.value("kick-in", "compressor", "threshold"), kick) << "one edit";
}

TEST(OwnControls, AreMadeMovedUndoneAndOpenedAgain) {
    const Window window;
    ASSERT_TRUE(window.settle());
    window->showBench({"snare-top", std::nullopt});
    ControlDialog* dialog = openControlDialog(window);
    ASSERT_NE(dialog, nullptr);
    auto* name = dialog->findChild<QLineEdit*>("control-name");
    name->setFocus();
    name->selectAll();
    QTest::keyClicks(name, "Punch");
    QTest::keyClick(name, Qt::Key_Return);
    EXPECT_TRUE(dialog->isVisible()) << "Enter takes the name and closes nothing";
    choose(*dialog, "Compressor · Threshold");
    choose(*dialog, "Compressor · Ratio");
    ASSERT_EQ(dialog->table().rowCount(), 2);
    dialog->table().item(0, 2)->setText("-30");
    ASSERT_TRUE(test::eventually([&] { return dialog->table().item(0, 2)->text() == "−30.0 dB"; }));
    // Nonsense is refused below, and what was there stays.
    dialog->table().item(0, 2)->setText("loud");
    ASSERT_TRUE(test::eventually([&] { return dialog->table().item(0, 2)->text() == "−30.0 dB"; }));
    EXPECT_FALSE(dialog->findChild<QLabel*>("control-problem")->text().isEmpty());
    dialog->activateWindow();
    dialog->table().setFocus();
    dialog->table().setCurrentCell(1, 0);
    QTest::keyClick(&dialog->table(), Qt::Key_Delete);
    EXPECT_EQ(dialog->table().rowCount(), 1);
    dialog->close();

    auto* bar = window->findChild<ControlBar*>("control-1");
    ASSERT_NE(bar, nullptr);
    EXPECT_EQ(bar->accessibleName(), "Punch");
    const double standard = window.value("snare-top", "compressor", "threshold");
    bar->setFocus();
    for (int i = 0; i < 5; ++i) QTest::keyClick(bar, Qt::Key_PageUp);
    EXPECT_EQ(bar->value(), 500);
    EXPECT_NEAR(window.value("snare-top", "compressor", "threshold"), 0.5 * (standard - 30.0),
                0.05);
    EXPECT_TRUE(bar->accessibleDescription().contains("50"));
    // A drag is one edit.
    QTest::mousePress(bar, Qt::LeftButton, {}, QPoint(60, 35));
    for (const int x : {80, 100, 120}) QTest::mouseMove(bar, QPoint(x, 35));
    QTest::mouseRelease(bar, Qt::LeftButton, {}, QPoint(120, 35));
    const double dragged = window.value("snare-top", "compressor", "threshold");
    EXPECT_LT(dragged, 0.5 * (standard - 30.0) - 1.0);
    window->workspace().undo();
    EXPECT_NEAR(window.value("snare-top", "compressor", "threshold"), 0.5 * (standard - 30.0),
                0.05);
    EXPECT_EQ(bar->value(), 500);

    const QString file = QString::fromStdString((window.folder() / "own.cask").string());
    window->workspace().save(file);
    const Session saved = window.session();
    window->workspace().open(file);
    EXPECT_EQ(controlsOf(*findRow(window.session(), "snare-top")),
              controlsOf(*findRow(saved, "snare-top")));
    window->showBench({"kick-in", std::nullopt});
    EXPECT_TRUE(test::eventually([&] {
        return window->findChild<ControlBar*>("control-1") == nullptr;
    })) << "the bars of another row are gone";
}

TEST(Streams, ComeAndGoFromTheRowsMenuAndMoveTheirCornersTogether) {
    const Window window;
    ASSERT_TRUE(window.settle());
    const Session before = window.session();
    const auto chosen = [&](const QString& text) {
        QMenu menu;
        app::fillRowMenu(menu, window->workspace(), window->player(), window->printer(),
                         "snare-top");
        const auto actions = menu.findChildren<QAction*>();
        const auto at = std::find_if(actions.begin(), actions.end(),
                                     [&](const QAction* a) { return a->text() == text; });
        ASSERT_NE(at, actions.end()) << text.toStdString();
        (*at)->trigger();
    };
    chosen("Lows, mids and highs");
    const std::vector<std::string> streams = splitOf(window.session(), "snare-top");
    ASSERT_EQ(streams.size(), 3U);
    ASSERT_TRUE(window.settle());
    // The bench of one moves the corner of all.
    window->showBench({streams[1], Column::repair});
    ASSERT_EQ(window->bench().editors().size(), 2U) << "its part and its equaliser";
    EXPECT_EQ(window->bench().editors().front()->mainPlot()->objectName(), "shape-curve");
    window->workspace().setValue(streams[1], "part", "lower", 320.0);
    for (const std::string& stream : streams)
        EXPECT_EQ(window.value(stream, "part", "lower"), 320.0) << stream;
    chosen("Join what it was split into");
    EXPECT_EQ(window.session().rows, before.rows);
    window->workspace().undo();
    EXPECT_EQ(splitOf(window.session(), "snare-top").size(), 3U);
}

TEST(Work, ShowsWhatIsDoneTakesBudgetsAndLeadsToTheStep) {
    const Window window;
    ASSERT_TRUE(window.settle());
    window->workspace().setValue("snare-top", "gate", "threshold", -30.0);
    window->showWork();
    auto* dialog = window->findChild<WorkDialog*>();
    ASSERT_NE(dialog, nullptr);
    QTableWidget& table = dialog->table();
    const auto lineOf = [&](const QString& name) {
        for (int l = 0; l < table.rowCount(); ++l) {
            if (table.verticalHeaderItem(l)->text() == name) return l;
        }
        return -1;
    };
    const int snare = lineOf("Snare Top"), may = lineOf("May take");
    ASSERT_GE(snare, 0);
    ASSERT_GE(may, 0);
    EXPECT_TRUE(dialog->text().contains(" steps are decided.")) << dialog->text().toStdString();
    EXPECT_TRUE(
        table.item(snare, 1)->data(Qt::AccessibleTextRole).toString().startsWith("Gate, decided"));
    table.item(may, 1)->setText("12");
    EXPECT_EQ(stepBudget(window.session(), Column::gate), 12.0);
    ASSERT_TRUE(test::eventually([&] { return table.item(may, 1)->text() == "12"; }));
    table.item(may, 1)->setText("a while");
    ASSERT_TRUE(test::eventually([&] { return table.item(may, 1)->text() == "12"; }));
    EXPECT_EQ(stepBudget(window.session(), Column::gate), 12.0);
    window->workspace().undo();
    EXPECT_EQ(stepBudget(window.session(), Column::gate), 0.0);
    table.setCurrentCell(snare, 1);
    QTest::keyClick(&table, Qt::Key_Return);
    EXPECT_TRUE(window->bench().isVisible());
    EXPECT_FALSE(window->bench().editors().empty());
    EXPECT_EQ(window->bench().editors().front()->stageId(), "gate");
}

TEST(Spectrum, HasALineOfOnesOwnThatIsDraggedUndoneAndCrossed) {
    const Window window;
    ASSERT_TRUE(window.settle());
    window->workspace().setLoop({true, 1.0, 4.0});
    QMenu menu;
    app::fillRowMenu(menu, window->workspace(), window->player(), window->printer(), "main");
    const auto actions = menu.actions();
    const auto at = std::find_if(actions.begin(), actions.end(), [](const QAction* a) {
        return a->text().startsWith("Its spectrum");
    });
    ASSERT_NE(at, actions.end());
    (*at)->trigger();
    CeilingDialog* dialog = nullptr;
    for (QWidget* top : QApplication::topLevelWidgets()) {
        if (auto* one = qobject_cast<CeilingDialog*>(top)) dialog = one;
    }
    if (dialog == nullptr) dialog = window->findChild<CeilingDialog*>();
    ASSERT_NE(dialog, nullptr);
    ASSERT_TRUE(test::eventually([&] { return !dialog->measuring(); }, 60.0));
    EXPECT_TRUE(dialog->text().contains("There is no line yet")) << dialog->text().toStdString();
    auto* draw = dialog->findChild<QPushButton*>("ceiling-line");
    ASSERT_TRUE(test::eventually([&] { return draw->isEnabled(); }));
    QTest::keyClick(draw, Qt::Key_Return);
    ASSERT_TRUE(window.session().ceiling);
    EXPECT_EQ(dialog->table().rowCount(), 0);
    const auto points = window.session().ceiling->points;
    // A point is moved by keys, and everything over it is named at once.
    dialog->plot().setFocus();
    dialog->plot().choose("p3");
    for (int i = 0; i < 30; ++i) QTest::keyClick(&dialog->plot(), Qt::Key_Down);
    EXPECT_LT(window.session().ceiling->points[3].db, points[3].db - 10.0);
    ASSERT_GE(dialog->table().rowCount(), 1);
    QTest::keyClick(dialog->findChild<QPushButton*>("ceiling-point"), Qt::Key_Return);
    EXPECT_EQ(window.session().ceiling->points.size(), points.size() + 1);
    window->workspace().undo();
    EXPECT_EQ(window.session().ceiling->points.size(), points.size());
    QTest::keyClick(dialog->findChild<QPushButton*>("ceiling-none"), Qt::Key_Return);
    EXPECT_FALSE(window.session().ceiling);
    window->workspace().undo();
    EXPECT_TRUE(window.session().ceiling);
    dialog->close();
}

}  // namespace
}  // namespace ember
