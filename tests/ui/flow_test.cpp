// The page of flow: what feeds what, by mouse and by keyboard, through undo, save and reopen.

#include "core/report/flow_table.h"
#include "core/session/routing.h"
#include "tests/ui/ui_support.h"

#include <QMenu>
#include <QPushButton>
#include <QWheelEvent>

#include <algorithm>

namespace ember {
namespace {

using app::FlowMatrix;
using test::eventually;
using test::Window;

// A window with a parallel, on the page.
struct Flow {
    Window window;
    FlowMatrix& matrix;

    Flow() : matrix(window->flow().matrix()) {
        window->workspace().edit(withBusAdded(window.session(), "Crush"));
        QTest::keyClick(&*window, Qt::Key_F, Qt::ControlModifier);
    }
    [[nodiscard]] const Send* sent(const std::string& row) const {
        return findSend(*findRow(window.session(), row), "crush");
    }
    // Chooses a cell; its item.
    QTableWidgetItem* choose(const std::string& row, const std::string& bus) {
        const FlowTable& table = matrix.table();
        const auto r = std::find(table.rows.begin(), table.rows.end(), row) - table.rows.begin(),
                   c = std::find(table.buses.begin(), table.buses.end(), bus) - table.buses.begin();
        matrix.setCurrentCell(static_cast<int>(r), static_cast<int>(c));
        return matrix.currentItem();
    }
    void key(Qt::Key key, Qt::KeyboardModifiers with = Qt::NoModifier) {
        QTest::keyClick(&matrix, key, with);
    }
    QPoint centre(QTableWidgetItem* item) { return matrix.visualItemRect(item).center(); }
};

TEST(Flow, IsWorkedByKeyboardAlone) {
    Flow flow;
    ASSERT_TRUE(flow.window->flow().isVisible());
    const Session before = flow.window.session();
    QTableWidgetItem* cell = flow.choose("snare-top", "crush");
    EXPECT_EQ(cell->data(Qt::AccessibleTextRole).toString(), "Snare Top is not sent to Crush");
    flow.key(Qt::Key_Return);
    ASSERT_NE(flow.sent("snare-top"), nullptr);
    EXPECT_EQ(flow.sent("snare-top")->levelDb, 0.0);
    flow.key(Qt::Key_Down, Qt::ControlModifier);
    flow.key(Qt::Key_Down, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_DOUBLE_EQ(flow.sent("snare-top")->levelDb, -1.1);
    flow.key(Qt::Key_F);
    EXPECT_TRUE(flow.sent("snare-top")->before);
    EXPECT_EQ(flow.matrix.currentItem()->data(Qt::AccessibleTextRole).toString(),
              "Snare Top is sent to Crush at −1.1 dB, before the fader");
    flow.key(Qt::Key_Return);
    EXPECT_FALSE(flow.sent("snare-top")->on);
    // A number typed is its level, nonsense is refused with a sentence.
    QTest::keyClicks(&flow.matrix, "-");
    auto* editor = flow.matrix.findChild<QLineEdit*>();
    ASSERT_NE(editor, nullptr);
    editor->setText("-14.5");
    QTest::keyClick(editor, Qt::Key_Return);
    EXPECT_TRUE(eventually([&] { return flow.sent("snare-top")->levelDb == -14.5; }));
    flow.matrix.currentItem()->setText("loud");
    EXPECT_DOUBLE_EQ(flow.sent("snare-top")->levelDb, -14.5);
    EXPECT_FALSE(flow.window->lastMessage().isEmpty());
    EXPECT_EQ(flow.matrix.currentItem()->text(), "−14.5");
    flow.key(Qt::Key_Delete);
    EXPECT_EQ(flow.sent("snare-top"), nullptr);
    // What is fed: its fader, and another bus in its place.
    const std::string bus = findRow(flow.window.session(), "snare-top")->parent;
    flow.choose("snare-top", bus);
    const double level = flow.window.value("snare-top", "seat", "level");
    flow.key(Qt::Key_Up, Qt::ControlModifier);
    EXPECT_DOUBLE_EQ(flow.window.value("snare-top", "seat", "level"), level + 1.0);
    flow.choose("snare-top", "crush");
    flow.key(Qt::Key_O);
    EXPECT_EQ(findRow(flow.window.session(), "snare-top")->parent, "crush");
    flow.choose("snare-top", "crush");
    flow.key(Qt::Key_M);
    EXPECT_TRUE(findRow(flow.window.session(), "snare-top")->mute);
    while (flow.window.session() != before && flow.window->workspace().document().canUndo())
        flow.window->workspace().undo();
    EXPECT_EQ(flow.window.session(), before);
}

TEST(Flow, IsDraggedAndWheeled) {
    Flow flow;
    flow.window->workspace().setSend("snare-top", {"crush", false, true, -10.0});
    const QPoint at = flow.centre(flow.choose("snare-top", "crush"));
    QWidget* viewport = flow.matrix.viewport();
    QTest::mousePress(viewport, Qt::LeftButton, {}, at);
    QTest::mouseMove(viewport, at - QPoint(0, 20));
    QTest::mouseMove(viewport, at - QPoint(0, 40));
    QTest::mouseRelease(viewport, Qt::LeftButton, {}, at - QPoint(0, 40));
    EXPECT_DOUBLE_EQ(flow.sent("snare-top")->levelDb, -4.0);
    flow.window->workspace().undo();
    EXPECT_DOUBLE_EQ(flow.sent("snare-top")->levelDb, -10.0) << "one gesture, one step";
    QWheelEvent up(at, viewport->mapToGlobal(at), {}, QPoint(0, 120), Qt::NoButton, Qt::NoModifier,
                   Qt::NoScrollPhase, false);
    QCoreApplication::sendEvent(viewport, &up);
    EXPECT_DOUBLE_EQ(flow.sent("snare-top")->levelDb, -9.0);
    QTest::mouseDClick(viewport, Qt::LeftButton, {}, at);
    EXPECT_FALSE(flow.sent("snare-top")->on);
}

TEST(Flow, MakesABusThatIsReadyAndSilentUntilItIsRaised) {
    Flow flow;
    auto* make = flow.window->flow().findChild<QPushButton*>("flow-new-bus");
    ASSERT_NE(make->menu(), nullptr);
    for (QAction* action : make->menu()->actions()) {
        if (action->objectName() == "ready-plate") action->trigger();
    }
    ASSERT_NE(findRow(flow.window.session(), "plate"), nullptr);
    EXPECT_EQ(flow.choose("plate", "main")->data(Qt::AccessibleTextRole).toString(),
              "Plate feeds Main, fader at −90.0 dB");
    EXPECT_EQ(flow.choose("snare-top", "plate")->text(), "0.0");
    flow.choose("plate", "main");
    QTest::keyClicks(&flow.matrix, "-");
    auto* editor = flow.matrix.findChild<QLineEdit*>();
    ASSERT_NE(editor, nullptr);
    editor->setText("-9");
    QTest::keyClick(editor, Qt::Key_Return);
    EXPECT_TRUE(eventually([&] { return flow.window.value("plate", "seat", "level") == -9.0; }));
}

TEST(Flow, RefusesWhatWouldGoRoundAndSaysTheWay) {
    Flow flow;
    flow.window->workspace().setSend("drum-bus", {"crush"});
    QTableWidgetItem* cell = flow.choose("crush", "drum-bus");
    EXPECT_TRUE(cell->data(Qt::AccessibleTextRole).toString().contains("go round"));
    const Session before = flow.window.session();
    flow.key(Qt::Key_Return);
    EXPECT_EQ(flow.window.session(), before);
    EXPECT_TRUE(flow.window->lastMessage().contains("Crush"))
        << flow.window->lastMessage().toStdString();
}

TEST(Flow, ShowsSumsLatencyAndTheRowBesideIt) {
    Flow flow;
    flow.window->workspace().setSend("snare-top", {"crush"});
    ASSERT_TRUE(flow.window.settle());
    ASSERT_TRUE(eventually([&] {
        return flow.matrix.horizontalHeaderItem(0)->text().contains("dB");
    })) << flow.matrix.horizontalHeaderItem(0)->text().toStdString();
    flow.choose("snare-top", "crush");
    EXPECT_TRUE(flow.window->flow().findChild<QLabel*>("flow-way")->text().endsWith("→ Main"));
    EXPECT_NE(flow.window->flow().findChild<QWidget*>("send-level-crush"), nullptr);
    const int late = flow.matrix.columnCount() - 1;
    EXPECT_NE(flow.matrix.item(0, late)->text(), "–");
    // Through a save and a fresh start.
    const QString path = QString::fromStdString((flow.window.folder() / "flow.json").string());
    ASSERT_TRUE(flow.window->saveTo(path));
    const Session saved = flow.window.session();
    ASSERT_TRUE(flow.window->openSession(path));
    QTest::keyClick(&*flow.window, Qt::Key_F, Qt::ControlModifier);
    EXPECT_TRUE(flow.window->flow().isVisible());
    EXPECT_EQ(flow.window.session().rows, saved.rows);
    EXPECT_EQ(flow.choose("snare-top", "crush")->text(), "0.0");
}

}  // namespace
}  // namespace ember
