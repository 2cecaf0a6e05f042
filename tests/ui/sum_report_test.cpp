// Reports on sums: how a bus stands as a whole, and who may move, where what is wanted is typed.

#include "app/board/row_menu.h"
#include "app/board/row_report_dialog.h"
#include "core/session/range.h"
#include "tests/ui/ui_support.h"

#include <QApplication>
#include <QMenu>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>

namespace ember {
namespace {

using test::eventually;
using test::Window;

// A cell typed by keyboard, as a person does.
void type(QTableWidget& table, int line, const QString& text) {
    table.setFocus();
    table.setCurrentCell(line, table.columnCount() - 1);
    QTest::keyClick(&table, Qt::Key_F2);
    auto* edit = table.findChild<QLineEdit*>();
    ASSERT_NE(edit, nullptr);
    edit->selectAll();
    QTest::keyClicks(edit, text);
    QTest::keyClick(edit, Qt::Key_Return);
}

TEST(SumReport, WhoMayMoveIsTypedKeptUndoneAndHeldAgainstWhatIsMeasured) {
    const Window window;
    ASSERT_TRUE(window.settle());
    window->showFlow();
    auto* open = window->findChild<QPushButton*>("flow-range");
    ASSERT_NE(open, nullptr);
    open->setFocus();
    QTest::keyClick(open, Qt::Key_Return);
    auto* dialog = window->findChild<app::RowReportDialog*>("range");
    ASSERT_NE(dialog, nullptr);
    QTableWidget& table = dialog->table();
    ASSERT_TRUE(eventually([&] { return table.rowCount() > 2 || !dialog->measuring(); }, 120));
    ASSERT_GT(table.rowCount(), 2) << dialog->text().toStdString();
    int line = -1;
    for (int l = 0; l < table.rowCount(); ++l) {
        if (table.item(l, 0)->text() == "Drum bus") line = l;
    }
    ASSERT_GE(line, 0);
    const QString kept = table.item(line, 3)->text();
    EXPECT_GT(kept.toDouble(), 0.0) << kept.toStdString();
    type(table, line, "moves 39");
    ASSERT_TRUE(eventually([&] { return rangeBudget(window.session(), "drum-bus") != nullptr; }));
    EXPECT_TRUE(rangeBudget(window.session(), "drum-bus")->moves);
    ASSERT_TRUE(eventually([&] { return table.item(line, 5)->text() == "too even"; }));
    EXPECT_FALSE(dialog->measuring()) << "nothing that sounds was changed";
    EXPECT_TRUE(dialog->text().contains("Drum bus: ")) << dialog->text().toStdString();
    EXPECT_EQ(table.item(line, 6)->text(), "moves, 39.0 LU at least");
    // Nonsense is refused with a sentence, and what was there stays.
    QSignalSpy refused(&window->workspace(), &app::Workspace::refused);
    type(table, line, "loud");
    ASSERT_TRUE(eventually([&] { return refused.count() == 1; }));
    ASSERT_TRUE(eventually([&] { return table.item(line, 6)->text().startsWith("moves, 39"); }));
    window->workspace().undo();
    ASSERT_TRUE(eventually([&] { return table.item(line, 6)->text().isEmpty(); }));
    window->workspace().redo();
    const QString file = QString::fromStdString((window.folder() / "range.json").string());
    ASSERT_TRUE(window->saveTo(file));
    ASSERT_TRUE(window->openSession(file));
    EXPECT_EQ(rangeBudget(window.session(), "drum-bus")->lu, 39.0);
}

TEST(SumReport, TellsADrumBusAsAWholeAndFollowsAnEdit) {
    const Window window;
    ASSERT_TRUE(window.settle());
    app::showRowReport(window->workspace(), window->player(),
                       app::busWholeReport(window.session(), "drum-bus"), &*window);
    auto* dialog = window->findChild<app::RowReportDialog*>("bus-whole");
    ASSERT_NE(dialog, nullptr);
    ASSERT_TRUE(eventually([&] { return dialog->table().rowCount() >= 5; }, 60))
        << dialog->text().toStdString();
    EXPECT_TRUE(dialog->text().contains("It leaves the bottom")) << dialog->text().toStdString();
    EXPECT_TRUE(dialog->table().item(4, 0)->text().contains("is heard")) << "the guest";
    const QString before = dialog->table().item(0, 1)->text();
    window->workspace().setValue("kick-in", "seat", "level", -40.0);
    ASSERT_TRUE(eventually(
        [&] {
            return !dialog->measuring() && dialog->table().rowCount() >= 5 &&
                   dialog->table().item(0, 1)->text() != before;
        },
        60));
}

// The drive test in its place: opened by keyboard, stepped through while it is heard dimmed, and
// what it offers made, kept and undone.
TEST(SumReport, TheMixIsPushedHeardAndWhatBreaksFirstIsLowered) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->workspace().setLoop({true, 1.0, 5.0});
    window->workspace().setValue("snare-top", "seat", "level", 12.0);
    QMenu menu;
    app::fillRowMenu(menu, window->workspace(), window->player(), window->printer(),
                     mainRow(window.session()), window->listener().measured());
    QAction* push = nullptr;
    for (QAction* action : menu.actions()) {
        if (action->text().startsWith("Push it")) push = action;
    }
    ASSERT_NE(push, nullptr);
    push->trigger();
    app::RowReportDialog* dialog = nullptr;
    for (QWidget* top : QApplication::topLevelWidgets()) {
        if (auto* found = qobject_cast<app::RowReportDialog*>(top);
            found != nullptr && found->objectName() == "drive")
            dialog = found;
    }
    ASSERT_NE(dialog, nullptr);
    QTableWidget& table = dialog->table();
    ASSERT_TRUE(eventually([&] { return table.rowCount() > 1; }, 60))
        << dialog->text().toStdString();
    EXPECT_TRUE(dialog->text().contains("Snare Top first")) << dialog->text().toStdString();
    EXPECT_TRUE(dialog->text().contains("give way first")) << dialog->text().toStdString();
    const int breaks = table.currentRow();
    EXPECT_TRUE(table.item(breaks, 2)->text().startsWith("Snare Top"));
    // Heard: the line that is chosen, dimmed; other lines by the arrows.
    auto* hear = dialog->findChild<QPushButton*>("report-hear");
    auto* dim = dialog->findChild<QSpinBox*>("report-dim");
    ASSERT_NE(hear, nullptr);
    ASSERT_NE(dim, nullptr);
    EXPECT_GT(dim->value(), 6);
    hear->setFocus();
    QTest::keyClick(hear, Qt::Key_Space);
    EXPECT_TRUE(dialog->hears());
    ASSERT_TRUE(eventually([&] { return window->player().previewing(); }));
    EXPECT_TRUE(window->player().playing());
    table.setFocus();
    QTest::keyClick(&table, Qt::Key_Up);
    EXPECT_EQ(table.currentRow(), std::max(0, breaks - 1));
    dim->setValue(20);
    ASSERT_TRUE(eventually([&] { return window->player().previewing(); }));
    const Session before = window.session();
    // Made: one edit with its reason, and the test anew.
    auto* lower = dialog->findChild<QPushButton*>("drive-lower");
    ASSERT_NE(lower, nullptr);
    const QString said = dialog->text();
    lower->click();
    ASSERT_TRUE(eventually([&] { return !(window.session() == before); }));
    EXPECT_LT(findStage(*findRow(window.session(), "snare-top"), "seat")->values[0], 12.0);
    EXPECT_NE(window->workspace().document().log().back().reason.find("too loud"),
              std::string::npos);
    ASSERT_TRUE(eventually([&] { return !dialog->measuring() && dialog->text() != said; }, 60));
    EXPECT_FALSE(dialog->text().contains("Snare Top first")) << dialog->text().toStdString();
    ASSERT_TRUE(eventually([&] { return !window->player().previewing(); }));
    EXPECT_FALSE(dialog->hears()) << "an edit is heard as it is";
    window->workspace().undo();
    EXPECT_EQ(window.session(), before);
    window->player().stop();
    delete dialog;
}

}  // namespace
}  // namespace ember
