#include "app/theme/theme.h"
#include "tests/ui/ui_support.h"

#include <QComboBox>
#include <QLabel>

namespace ember {
namespace {

using app::BoardPlace;
using app::CellState;
using test::eventually;
using test::Window;

TEST(Board, IsWalkedWithTheArrowKeys) {
    const Window window;
    app::Board& board = window->board();
    board.select({"snare-top", Column::gate});
    QTest::keyClick(&board, Qt::Key_Right);
    EXPECT_EQ(board.selected(), (BoardPlace{"snare-top", Column::repair}));
    QTest::keyClick(&board, Qt::Key_Down);
    EXPECT_EQ(board.selected(), (BoardPlace{"snare-bottom", Column::repair}));
    for (int i = 0; i < 8; ++i) QTest::keyClick(&board, Qt::Key_Left);
    EXPECT_EQ(board.selected(), (BoardPlace{"snare-bottom", std::nullopt}))
        << "the row's head is the last place to the left";
    QTest::keyClick(&board, Qt::Key_Right);
    for (int i = 0; i < 40; ++i) QTest::keyClick(&board, Qt::Key_Up);
    EXPECT_TRUE(board.selected().row.empty()) << "above the first row lies the column's head";
    EXPECT_FALSE(board.accessibleDescription().isEmpty());
}

TEST(Board, OpensCellRowAndColumnAndComesBack) {
    const Window window;
    app::Board& board = window->board();
    board.select({"snare-top", Column::gate});
    QTest::keyClick(&board, Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return window->bench().isVisible(); }));
    EXPECT_EQ(window->bench().editors().size(), 1U);
    QTest::keyClick(&window->bench(), Qt::Key_Escape);
    ASSERT_TRUE(eventually([&] { return board.isVisible(); }));
    EXPECT_EQ(board.selected().row, "snare-top");
    QTest::mouseDClick(
        board.viewport(), Qt::LeftButton, Qt::NoModifier,
        QPoint(60, static_cast<int>(board.cellRect({"snare-top", std::nullopt}).center().y())));
    EXPECT_EQ(window->bench().editors().size(),
              findRow(window.session(), "snare-top")->chain.size());
    QTest::keyClick(&window->bench(), Qt::Key_Escape);
    QTest::mouseDClick(board.viewport(), Qt::LeftButton, Qt::NoModifier,
                       board.cellRect({{}, Column::gate}).center().toPoint());
    std::size_t gates = 0;
    for (const Row& row : window.session().rows) gates += findStage(row, "gate") != nullptr ? 1 : 0;
    EXPECT_EQ(window->bench().editors().size(), gates);
}

TEST(Board, ShowsTheSixStatesByWhatIsTrue) {
    const Window window;
    const auto state = [&](const std::string& row, Column column) {
        return app::cellOf(window.session(), *findRow(window.session(), row), column,
                           window->tracer().of(row).get())
            .state;
    };
    EXPECT_EQ(state("kick-bus", Column::gate), CellState::notApplicable);
    EXPECT_EQ(state("kick-out", Column::gate), CellState::untouched);
    EXPECT_EQ(state("snare-top", Column::gate), CellState::decided);
    window->workspace().setStageOn("snare-top", "gate", false);
    EXPECT_EQ(state("snare-top", Column::gate), CellState::off);
    Session proposed = window.session();
    requireStage(requireRow(proposed, "kick-out"), "gate").mark = Mark::proposed;
    window->workspace().edit(proposed);
    EXPECT_EQ(state("kick-out", Column::gate), CellState::proposed);
    window->workspace().setValue("hat", "gate", "threshold", 0.0);
    ASSERT_TRUE(window.settle());
    EXPECT_EQ(state("hat", Column::gate), CellState::attention) << "nothing opens this gate";
}

TEST(Board, ShowsAnOrderThatDepartsFromLeftToRight) {
    const Window window;
    const auto ordinal = [&](Column column) {
        return app::cellOf(window.session(), *findRow(window.session(), "hat"), column, nullptr)
            .ordinal;
    };
    EXPECT_EQ(ordinal(Column::repair), 0);
    window->workspace().moveStage("hat", "compressor", -1);
    EXPECT_EQ(ordinal(Column::dynamics), 2);
    EXPECT_EQ(ordinal(Column::repair), 3);
    EXPECT_EQ(ordinal(Column::gate), 0);
}

TEST(Board, MutesAndSolosByKeyAndMouse) {
    const Window window;
    app::Board& board = window->board();
    board.select({"hat", Column::gate});
    QTest::keyClick(&board, Qt::Key_M);
    EXPECT_TRUE(findRow(window.session(), "hat")->mute);
    QTest::keyClick(&board, Qt::Key_S);
    EXPECT_TRUE(findRow(window.session(), "hat")->solo);
    board.select({"ride", Column::gate});
    QTest::mouseClick(board.viewport(), Qt::LeftButton, Qt::NoModifier,
                      board.muteRect("ride").center().toPoint());
    EXPECT_TRUE(findRow(window.session(), "ride")->mute);
    QTest::mouseClick(board.viewport(), Qt::LeftButton, Qt::NoModifier,
                      board.soloRect("ride").center().toPoint());
    EXPECT_TRUE(findRow(window.session(), "ride")->solo);
    QTest::keyClick(&board, Qt::Key_O);
    EXPECT_TRUE(findStage(*findRow(window.session(), "ride"), "gate")->on);
}

TEST(Board, FoldsGroupsAndScalesRows) {
    const Window window;
    app::Board& board = window->board();
    EXPECT_FALSE(board.cellRect({"snare-bottom", Column::gate}).isEmpty());
    board.select({"snare-bus", Column::repair});
    QTest::keyClick(&board, Qt::Key_F);
    EXPECT_TRUE(board.cellRect({"snare-bottom", Column::gate}).isEmpty());
    QTest::keyClick(&board, Qt::Key_F);
    EXPECT_FALSE(board.cellRect({"snare-bottom", Column::gate}).isEmpty());
    const int tall = board.rowHeight();
    board.setRowHeight(tall + 12);
    EXPECT_EQ(static_cast<int>(board.cellRect({"snare-top", Column::gate}).height()), tall + 12);
}

TEST(Board, MiniaturesAreDrawnFromTheAudio) {
    const Window window;
    const auto picture = [&] {
        const QRect area = window->board().cellRect({"snare-top", Column::gate}).toRect();
        window->board().select({"kick-in", Column::seat});
        QApplication::processEvents();
        return window->board().viewport()->grab(area).toImage();
    };
    const QImage before = picture();
    EXPECT_GT(std::abs(before.pixelColor(before.width() / 2, before.height() / 2).lightness() + 0),
              0);
    window->workspace().setValue("snare-top", "gate", "threshold", -12.0);
    ASSERT_TRUE(window.settle());
    EXPECT_NE(picture(), before) << "another threshold lets other strokes through";
    window->workspace().undo();
    ASSERT_TRUE(window.settle());
    EXPECT_EQ(picture(), before);
}

TEST(Look, TextHasContrastInBothLooks) {
    for (const app::Look look : {app::Look::dark, app::Look::light}) {
        app::applyLook(*qApp, look);
        const app::Palette& p = app::colours();
        for (const QColor& ground : {p.coal, p.stave}) {
            EXPECT_GE(app::contrast(p.chalk, ground), 4.5);
            EXPECT_GE(app::contrast(p.quiet, ground), 4.5);
            for (const QColor& state : {p.honey, p.patina, p.alarm, p.ember})
                EXPECT_GE(app::contrast(state, ground), 3.0) << state.name().toStdString();
        }
        EXPECT_GE(app::contrast(p.onEmber, p.ember), 4.5);
    }
    app::applyLook(*qApp, app::Look::dark);
}

TEST(Look, NoTextIsSmallerThanElevenPixels) {
    const Window window;
    for (const QWidget* widget : window->findChildren<QWidget*>()) {
        if (widget->inherits("QLabel") || widget->inherits("QPushButton") ||
            widget->inherits("QComboBox")) {
            EXPECT_GE(QFontInfo(widget->font()).pixelSize(), 11)
                << widget->objectName().toStdString();
        }
    }
}

}  // namespace
}  // namespace ember
