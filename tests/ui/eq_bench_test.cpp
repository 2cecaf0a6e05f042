// The equaliser's bench, driven by hand.

#include "app/bench/eq_editor.h"
#include "core/dsp/equaliser.h"
#include "core/engine/trace.h"
#include "tests/ui/ui_support.h"

#include <QLabel>
#include <QMenu>
#include <QToolButton>
#include <QWheelEvent>

#include <cmath>

namespace ember {
namespace {

using test::dragHandle;
using test::eventually;
using test::fieldOf;
using test::Window;

TEST(EqBench, DraggingABandMovesFrequencyAndGain) {
    const Window window;
    auto& editor = dynamic_cast<app::EqEditor&>(window.bench("snare-top", Column::repair));
    app::Plot& plot = *editor.mainPlot();
    const QPointF from = plot.handlePixel("3");
    dragHandle(plot, "3", 70, -50);
    EXPECT_NEAR(window.value("snare-top", "eq", "b4.frequency"),
                plot.xAxis->pixelToCoord(from.x() + 70), 12.0);
    EXPECT_NEAR(window.value("snare-top", "eq", "b4.gain"), plot.yAxis->pixelToCoord(from.y() - 50),
                0.3);
    EXPECT_EQ(editor.band(), 3) << "the numbers follow the band that was dragged";
    // The curve is the filter's own.
    const auto curve = plot.graph(4)->data();
    for (int i = 0; i < curve->size(); i += 60) {
        const auto& point = *(curve->constBegin() + i);
        EXPECT_NEAR(point.value,
                    eqResponseDb(findStage(*findRow(window.session(), "snare-top"), "eq")->values,
                                 point.key, 48000.0),
                    1e-6);
    }
}

TEST(EqBench, DoubleClickAddsABandAndTheWheelNarrowsIt) {
    const Window window;
    auto& editor = dynamic_cast<app::EqEditor&>(window.bench("floor-tom", Column::repair));
    app::Plot& plot = *editor.mainPlot();
    const QPoint at(static_cast<int>(plot.xAxis->coordToPixel(400.0)),
                    static_cast<int>(plot.yAxis->coordToPixel(-6.0)));
    QTest::mouseDClick(&plot, Qt::LeftButton, Qt::NoModifier, at);
    EXPECT_DOUBLE_EQ(window.value("floor-tom", "eq", "b3.on"), 1.0);
    EXPECT_NEAR(window.value("floor-tom", "eq", "b3.frequency"), 400.0, 8.0);
    EXPECT_NEAR(window.value("floor-tom", "eq", "b3.gain"), -6.0, 0.2);
    EXPECT_TRUE(findStage(*findRow(window.session(), "floor-tom"), "eq")->on);
    const double q = window.value("floor-tom", "eq", "b3.q");
    const QPointF handle = plot.handlePixel("2");
    QWheelEvent wheel(handle, plot.mapToGlobal(handle), QPoint(), QPoint(0, 240), Qt::NoButton,
                      Qt::NoModifier, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&plot, &wheel);
    EXPECT_GT(window.value("floor-tom", "eq", "b3.q"), q * 1.2);
}

TEST(EqBench, SpectraAreThoseOfTheDrumsOwnStrokes) {
    const Window window;
    auto& editor = window.bench("snare-top", Column::repair);
    ASSERT_TRUE(window.listened());
    const auto trace = window->tracer().of("snare-top");
    const auto before = editor.mainPlot()->graph(1)->data(),
               after = editor.mainPlot()->graph(2)->data();
    // Strokes alone are louder than the whole song with its gaps.
    ASSERT_TRUE(eventually([&] {
        return (before->constBegin() + 60)->value > trace->stages[2].before.level[60] + 1.0;
    }));
    const auto& values = findStage(*findRow(window.session(), "snare-top"), "eq")->values;
    ASSERT_EQ(before->size(), after->size());
    for (int i = 0; i < before->size(); i += 20) {
        const auto& point = *(before->constBegin() + i);
        EXPECT_NEAR((after->constBegin() + i)->value - point.value,
                    eqResponseDb(values, point.key, 48000.0), 1e-6);
    }
}

TEST(EqBench, ASweepIsGivenBackOrTurnedIntoACut) {
    const Window window;
    auto& editor = dynamic_cast<app::EqEditor&>(window.bench("floor-tom", Column::repair));
    ASSERT_TRUE(window.listened());
    const std::vector<double> before =
        findStage(*findRow(window.session(), "floor-tom"), "eq")->values;
    auto* sweep = editor.findChild<QPushButton*>("eq-sweep");
    sweep->click();
    std::string band("b");
    band += std::to_string(editor.band() + 1);
    EXPECT_DOUBLE_EQ(window.value("floor-tom", "eq", band + ".gain"), 12.0);
    dragHandle(*editor.mainPlot(), QString::number(editor.band()), 60, 0);
    sweep->click();
    EXPECT_EQ(findStage(*findRow(window.session(), "floor-tom"), "eq")->values, before);
    // What is done to other bands meanwhile stays.
    sweep->click();
    const std::string other = editor.band() == 0 ? "b2.frequency" : "b1.frequency";
    window->workspace().setValue("floor-tom", "eq", other, 61.0);
    sweep->click();
    EXPECT_DOUBLE_EQ(window.value("floor-tom", "eq", other), 61.0);
    window->workspace().undo();
    window->workspace().undo();
    window->workspace().undo();
    EXPECT_EQ(findStage(*findRow(window.session(), "floor-tom"), "eq")->values, before);
    sweep->click();
    dragHandle(*editor.mainPlot(), QString::number(editor.band()), 60, 0);
    const double place = window.value("floor-tom", "eq", band + ".frequency");
    editor.findChild<QPushButton*>("eq-cut")->click();
    EXPECT_FALSE(sweep->isChecked());
    EXPECT_LE(window.value("floor-tom", "eq", band + ".gain"), -3.0);
    EXPECT_NEAR(window.value("floor-tom", "eq", band + ".frequency") / place, 1.0, 0.041);
}

TEST(EqBench, AnotherRowsShapeIsMatchedAndUndone) {
    const Window window;
    auto& editor = window.bench("room", Column::repair);
    auto* match = editor.findChild<QToolButton*>("eq-match");
    const std::vector<double> before = findStage(*findRow(window.session(), "room"), "eq")->values;
    emit match->menu()->aboutToShow();
    QAction* overheads = nullptr;
    for (QAction* action : match->menu()->actions()) {
        if (action->text().contains("Overhead", Qt::CaseInsensitive)) overheads = action;
    }
    ASSERT_NE(overheads, nullptr);
    overheads->trigger();
    EXPECT_TRUE(eventually(
        [&] { return findStage(*findRow(window.session(), "room"), "eq")->values != before; }));
    window->workspace().undo();
    EXPECT_EQ(findStage(*findRow(window.session(), "room"), "eq")->values, before);
}

TEST(EqBench, AMovingBandIsSetByItsFieldsAndDrawn) {
    const Window window;
    auto& editor = dynamic_cast<app::EqEditor&>(window.bench("overhead", Column::repair));
    window->workspace().setValue("overhead", "eq", "b5.on", 1.0);
    editor.chooseBand(4);
    const auto type = [&](const char* field, const char* text) {
        QLineEdit& edit = fieldOf(editor, field);
        edit.setFocus();
        edit.selectAll();
        QTest::keyClicks(&edit, text);
        QTest::keyClick(&edit, Qt::Key_Return);
    };
    EXPECT_FALSE(fieldOf(editor, "b5.threshold").isVisibleTo(&editor))
        << "a band that stays has none";
    type("b5.range", "-6");
    EXPECT_TRUE(fieldOf(editor, "b5.threshold").isVisibleTo(&editor));
    type("b5.threshold", "-28");
    EXPECT_DOUBLE_EQ(window.value("overhead", "eq", "b5.threshold"), -28.0);
    const QCPGraph* far = editor.mainPlot()->graph(6);
    EXPECT_TRUE(far->visible());
    double lowest = 0.0;
    for (const auto& point : *far->data()) lowest = std::min(lowest, point.value);
    EXPECT_LT(lowest, -5.5);
}

TEST(EqBench, PlayingDrawsThisMomentThroughTheCurve) {
    const Window window;
    auto& editor = dynamic_cast<app::EqEditor&>(window.bench("snare-top", Column::repair));
    EXPECT_TRUE(editor.live().data()->isEmpty());
    window->player().seek(2.0);
    window->player().play();
    ASSERT_TRUE(QTest::qWaitFor([&] { return editor.live().data()->size() > 50; }, 10000));
    window->player().stop();
    EXPECT_TRUE(QTest::qWaitFor([&] { return editor.live().data()->isEmpty(); }, 10000))
        << "nothing is drawn of a moment that has passed";
}

TEST(EqBench, SaysWhatRoomTheLowMidsOfTheKitGained) {
    const Window window;
    auto& editor = window.bench("room", Column::repair);
    window->workspace().setValue("room", "eq", "b3.on", 1.0);
    window->workspace().setValue("room", "eq", "b3.frequency", 320.0);
    window->workspace().setValue("room", "eq", "b3.gain", -12.0);
    ASSERT_TRUE(window.settle());
    const auto said = [&] {
        QString all;
        for (const QLabel* label : editor.findChildren<QLabel*>()) all += label->text() + "\n";
        return all;
    };
    EXPECT_TRUE(eventually([&] { return said().contains("Low mids of the whole kit: −"); }))
        << said().toStdString();
}

TEST(EqBench, BandsAreAListFromLowToHighWithNamesOfTheirOwn) {
    const Window window;
    auto& editor = dynamic_cast<app::EqEditor&>(window.bench("snare-top", Column::repair));
    auto* list = editor.findChild<app::BandList*>("eq-bands");
    ASSERT_NE(list, nullptr);
    ASSERT_EQ(list->topLevelItemCount(), 3) << "the bands that are in use";
    double last = 0.0;
    for (int i = 0; i < 3; ++i) {
        const int band = list->topLevelItem(i)->data(0, Qt::UserRole).toInt();
        const std::string id = eqBandId(band) + ".frequency";
        EXPECT_GT(window.value("snare-top", "eq", id), last);
        last = window.value("snare-top", "eq", id);
        EXPECT_FALSE(list->topLevelItem(i)->text(0).isEmpty());
        EXPECT_FALSE(list->topLevelItem(i)->icon(0).isNull());
    }
    // Named, switched, taken away and brought back by keyboard.
    list->setFocus();
    list->setCurrentItem(list->topLevelItem(1));
    EXPECT_EQ(editor.band(), 3);
    list->topLevelItem(1)->setText(0, "the whistle");
    EXPECT_EQ(eqBandName(*findStage(*findRow(window.session(), "snare-top"), "eq"), 3),
              "the whistle");
    EXPECT_TRUE(editor.mainPlot()->handles()[1].label.startsWith("the whistle: "));
    QTest::keyClick(list, Qt::Key_O);
    EXPECT_DOUBLE_EQ(window.value("snare-top", "eq", "b4.on"), 0.0);
    EXPECT_EQ(list->topLevelItemCount(), 3) << "off is not away";
    QTest::keyClick(list, Qt::Key_Delete);
    EXPECT_EQ(list->topLevelItemCount(), 2);
    window->workspace().undo();
    EXPECT_EQ(list->topLevelItemCount(), 3);
    EXPECT_EQ(list->topLevelItem(1)->text(0), "the whistle");
    // As many as sixteen, each from the menu.
    auto* add = editor.findChild<QToolButton*>("eq-add");
    for (int i = 3; i < kEqBands; ++i) add->menu()->actions()[2]->trigger();
    EXPECT_EQ(list->topLevelItemCount(), kEqBands);
    const Session full = window.session();
    add->menu()->actions()[2]->trigger();
    EXPECT_EQ(window.session(), full);
    EXPECT_TRUE(window->lastMessage().contains("sixteen"));
}

TEST(EqBench, AHandleSaysItsNameAndValueWhenItIsChosen) {
    const Window window;
    auto& editor = dynamic_cast<app::EqEditor&>(window.bench("snare-top", Column::repair));
    app::Plot& plot = *editor.mainPlot();
    for (const app::Handle& handle : plot.handles()) {
        EXPECT_FALSE(handle.glyph.isEmpty());
        EXPECT_TRUE(handle.label.contains("Hz")) << handle.label.toStdString();
    }
    plot.choose("3");
    EXPECT_TRUE(plot.accessibleDescription().contains("571 Hz"))
        << plot.accessibleDescription().toStdString();
    EXPECT_EQ(editor.band(), 3);
    auto* listen = editor.findChild<QToolButton*>("eq-listen");
    listen->click();
    EXPECT_DOUBLE_EQ(window.value("snare-top", "eq", "listen"), 4.0);
    listen->click();
    EXPECT_DOUBLE_EQ(window.value("snare-top", "eq", "listen"), 0.0);
}

}  // namespace
}  // namespace ember
