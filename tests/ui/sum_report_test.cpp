// Reports on sums: how a bus stands as a whole, and who may move, where what is wanted is typed.

#include "app/board/row_report_dialog.h"
#include "core/session/range.h"
#include "tests/ui/ui_support.h"

#include <QPushButton>
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

}  // namespace
}  // namespace ember
