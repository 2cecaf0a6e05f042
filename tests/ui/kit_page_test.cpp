// The Kit page, an empty step, and what the benches try out.

#include "app/bench/dynamics_editor.h"
#include "app/bench/gate_editor.h"
#include "app/compare/review_dialog.h"
#include "app/evidence/first_pass_dialog.h"
#include "core/dsp/compressor.h"
#include "core/dsp/gate.h"
#include "demo/mix.h"
#include "tests/ui/ui_support.h"

#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTableWidget>

namespace ember {
namespace {

using test::dragHandle;
using test::eventually;
using test::Window;

TEST(KitPage, ShowsWhereTheDrumsStand) {
    const Window window;
    ASSERT_TRUE(window.listened());
    QTest::keyClick(&*window, Qt::Key_K, Qt::ControlModifier);
    ASSERT_TRUE(window->kit().isVisible());
    EXPECT_TRUE(window->kit().imageText().contains("mono costs"))
        << window->kit().imageText().toStdString();
    EXPECT_TRUE(window->kit().image().accessibleDescription().contains("Snare at"));
}

TEST(Bench, AnEmptyStepSaysWhatBelongsThereAndAddsIt) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->showBench({"snare-top", Column::colour});
    ASSERT_TRUE(window->bench().editors().empty());
    auto* add = window->bench().findChild<QPushButton*>("bench-empty-saturation");
    ASSERT_NE(add, nullptr);
    QString text;
    for (const QLabel* label : window->bench().findChildren<QLabel*>())
        text += label->text() + "\n";
    EXPECT_TRUE(text.contains("Snare’s strokes")) << text.toStdString();
    add->setFocus();
    QTest::keyClick(add, Qt::Key_Return);
    ASSERT_EQ(window->bench().editors().size(), 1U);
    EXPECT_NE(findStage(*findRow(window.session(), "snare-top"), "saturation"), nullptr);
    window->workspace().undo();
    EXPECT_EQ(findStage(*findRow(window.session(), "snare-top"), "saturation"), nullptr);
}

TEST(DynamicsBench, TheDetectorIsSweptHeardAndPutBack) {
    const Window window;
    auto& editor = dynamic_cast<app::DynamicsEditor&>(window.bench("snare-top", Column::dynamics));
    ASSERT_TRUE(window.listened());
    auto* sweep = editor.findChild<QToolButton*>("dynamics-sweep");
    EXPECT_FALSE(editor.detectorPlot()->isVisible());
    sweep->click();
    EXPECT_DOUBLE_EQ(window.value("snare-top", "compressor", "key-listen"), 1.0);
    ASSERT_TRUE(editor.detectorPlot()->isVisible());
    ASSERT_TRUE(eventually([&] { return editor.detectorPlot()->graphCount() >= 3; }));
    dragHandle(*editor.detectorPlot(), "high-pass", 120, 0);
    const double corner = window.value("snare-top", "compressor", "key-high-pass");
    EXPECT_GT(corner, 40.0);
    // By keyboard too.
    editor.detectorPlot()->setFocus();
    editor.detectorPlot()->choose("high-pass");
    QTest::keyClick(editor.detectorPlot(), Qt::Key_Right);
    EXPECT_NEAR(window.value("snare-top", "compressor", "key-high-pass"),
                corner * std::pow(2.0, 1.0 / 12.0), 0.5);
    sweep->click();
    EXPECT_DOUBLE_EQ(window.value("snare-top", "compressor", "key-listen"), 0.0);
    EXPECT_FALSE(editor.detectorPlot()->isVisible());
}

TEST(DynamicsBench, AShaperInItsPlaceIsHeardAndNothingIsChanged) {
    const Window window;
    auto& editor = dynamic_cast<app::DynamicsEditor&>(window.bench("snare-top", Column::dynamics));
    ASSERT_TRUE(window.listened());
    const Session before = window.session();
    auto* shaper = editor.findChild<QToolButton*>("dynamics-shaper");
    shaper->click();
    ASSERT_TRUE(eventually([&] { return window->player().previewing(); }));
    EXPECT_TRUE(shaper->isChecked());
    EXPECT_EQ(window.session(), before);
    shaper->click();
    EXPECT_TRUE(eventually([&] { return !window->player().previewing(); }));
}

TEST(GateBench, AttacksAreTriedAndTaken) {
    const Window window;
    auto& editor = window.bench("snare-top", Column::gate);
    ASSERT_TRUE(window.listened());
    editor.findChild<QPushButton*>("gate-trials")->click();
    ASSERT_TRUE(eventually(
        [&] { return editor.findChild<QTableWidget*>("gate-trials-table") != nullptr; }, 60.0));
    auto* table = editor.findChild<QTableWidget*>("gate-trials-table");
    EXPECT_EQ(table->rowCount(), 4);
    EXPECT_EQ(table->columnCount(), 5);
    EXPECT_TRUE(table->item(0, 0)->text().contains("front"));
    table->setCurrentCell(2, 3);
    emit table->cellActivated(2, 3);
    EXPECT_DOUBLE_EQ(window.value("snare-top", "gate", "attack"), 3.0);
    window->workspace().undo();
    EXPECT_NE(window.value("snare-top", "gate", "attack"), 3.0);
}

TEST(EveryBench, ShowsOneStrokeAsWaveOrLevel) {
    const Window window;
    ASSERT_TRUE(window.listened());
    for (const Column column : {Column::gate, Column::repair, Column::dynamics}) {
        auto& editor = window.bench("snare-top", column);
        auto* strip = editor.findChild<app::StrokeStrip*>();
        ASSERT_NE(strip, nullptr);
        auto* wave = strip->findChild<QToolButton*>("stroke-wave");
        if (!wave->isChecked()) wave->click();
        const auto lowest = [&] {
            double low = 0.0;
            for (const auto& point : *strip->plot()->graph(0)->data())
                low = std::min(low, point.value);
            return low;
        };
        // A wave goes below zero and stays within full scale; a level is in dB.
        EXPECT_TRUE(eventually([&] { return lowest() < -0.001; })) << static_cast<int>(column);
        EXPECT_GT(lowest(), -1.01);
        wave->click();
        EXPECT_TRUE(eventually([&] { return lowest() < -20.0; }));
    }
}

TEST(Review, ResetsAndUnmutesFromItsDialog) {
    const Window window;
    Session s = window.session();
    requireRow(s, "ride").mute = true;
    Stage& gate = requireStage(requireRow(s, "hat"), "gate");
    gate.on = true;
    gate.mark = Mark::untouched;
    window->workspace().edit(s);
    QTest::keyClick(&*window, Qt::Key_V);
    auto* review = window->findChild<app::ReviewDialog*>("review");
    ASSERT_NE(review, nullptr);
    review->findChild<QPushButton*>("review-reset")->click();
    EXPECT_FALSE(findStage(*findRow(window.session(), "hat"), "gate")->on);
    review->findChild<QPushButton*>("review-unmute")->click();
    EXPECT_FALSE(findRow(window.session(), "ride")->mute);
    window->workspace().undo();
    EXPECT_TRUE(findRow(window.session(), "ride")->mute);
}

TEST(FirstPass, ShowsHowFarTheListeningIs) {
    // A cache that knows nothing: what is known is there before one can look.
    const test::TempFolder empty;
    const QByteArray usual = qgetenv("EMBER_CASK_CACHE");
    qputenv("EMBER_CASK_CACHE", QByteArray::fromStdString((empty / "cache").string()));
    const Window window(false);
    usual.isNull() ? qunsetenv("EMBER_CASK_CACHE") : qputenv("EMBER_CASK_CACHE", usual);
    window->workspace().begin(demo::demoMix(test::shortSession()));
    ASSERT_TRUE(window->listener().listening());
    app::FirstPassDialog dialog(window->workspace(), window->listener());
    dialog.show();
    EXPECT_TRUE(dialog.findChild<QProgressBar*>("first-pass-progress")->isVisible());
    ASSERT_TRUE(window.listened());
    EXPECT_TRUE(eventually(
        [&] { return !dialog.findChild<QProgressBar*>("first-pass-progress")->isVisible(); }));
}

TEST(Compare, AStepSwitchedOffIsHeardAsLoudAsItWas) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->workspace().setValue("snare-top", "compressor", "threshold", -40.0);
    window->workspace().setValue("snare-top", "compressor", "make-up", 0.0);
    ASSERT_TRUE(window.settle());
    app::Board& board = window->board();
    board.select({"snare-top", Column::dynamics});
    QTest::keyClick(&board, Qt::Key_O);
    ASSERT_FALSE(findStage(*findRow(window.session(), "snare-top"), "compressor")->on);
    ASSERT_TRUE(eventually([&] {
        return window->player().compareText().contains("level-matched (−");
    })) << window->player().compareText().toStdString();
    QTest::keyClick(&board, Qt::Key_O);
    EXPECT_TRUE(findStage(*findRow(window.session(), "snare-top"), "compressor")->on);
    EXPECT_FALSE(window->player().hearingBefore());
}

TEST(Ways, OfWorkingAreKeptInTheSessionAndUndone) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->board().select({"snare-top", Column::dynamics});
    auto* school = window->evidence().findChild<QComboBox*>("evidence-school");
    ASSERT_NE(school, nullptr);
    school->setCurrentIndex(2);
    emit school->activated(2);
    EXPECT_EQ(window.session().ways.dynamics, DynamicsSchool::pair);
    window->workspace().undo();
    EXPECT_EQ(window.session().ways.dynamics, DynamicsSchool::punch);
    EXPECT_EQ(school->currentIndex(), 0);
}

}  // namespace
}  // namespace ember
