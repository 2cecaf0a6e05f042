#include "app/bench/align_editor.h"
#include "app/bench/dynamics_editor.h"
#include "app/bench/eq_editor.h"
#include "app/bench/gate_editor.h"
#include "app/bench/preset_button.h"
#include "app/compare/review_dialog.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/dsp/equaliser.h"
#include "core/engine/trace.h"
#include "tests/ui/ui_support.h"

#include <QCheckBox>
#include <QComboBox>
#include <QMenu>
#include <QStandardPaths>
#include <QToolButton>

#include <cmath>

namespace ember {
namespace {

using test::dragHandle;
using test::eventually;
using test::fieldOf;
using test::Window;

TEST(GateBench, DraggingALineMovesTheThreshold) {
    const Window window;
    auto& editor = window.bench("snare-top", Column::gate);
    const double before = window.value("snare-top", "gate", "threshold");
    app::Plot& plot = *editor.mainPlot();
    const double wanted = plot.yAxis->pixelToCoord(plot.handlePixel("threshold").y() - 40.0);
    dragHandle(plot, "threshold", 0, -40);
    EXPECT_NEAR(window.value("snare-top", "gate", "threshold"), wanted, 0.6);
    EXPECT_GT(window.value("snare-top", "gate", "threshold"), before);
    // The closing line keeps its distance, and has its own handle.
    const double hysteresis = window.value("snare-top", "gate", "hysteresis");
    dragHandle(plot, "close", 0, 30);
    EXPECT_GT(window.value("snare-top", "gate", "hysteresis"), hysteresis + 2.0);
    // One drag is one step back.
    window->workspace().undo();
    EXPECT_NEAR(window.value("snare-top", "gate", "hysteresis"), hysteresis, 1e-9);
    window->workspace().undo();
    EXPECT_NEAR(window.value("snare-top", "gate", "threshold"), before, 1e-9);
}

TEST(GateBench, KeysMoveTheChosenLine) {
    const Window window;
    auto& editor = window.bench("snare-top", Column::gate);
    app::Plot& plot = *editor.mainPlot();
    plot.setFocus();
    plot.choose("threshold");
    const double before = window.value("snare-top", "gate", "threshold");
    QTest::keyClick(&plot, Qt::Key_Up);
    EXPECT_NEAR(window.value("snare-top", "gate", "threshold"), before + 0.5, 1e-9);
    QTest::keyClick(&plot, Qt::Key_Down, Qt::ShiftModifier);
    EXPECT_NEAR(window.value("snare-top", "gate", "threshold"), before + 0.45, 1e-9);
    QTest::keyClick(&plot, Qt::Key_Delete);
    EXPECT_NEAR(window.value("snare-top", "gate", "threshold"), -36.0, 1e-9) << "Delete resets";
}

TEST(GateBench, AStretchDraggedWithShiftIsHowLongItHolds) {
    const Window window;
    auto& editor = window.bench("snare-top", Column::gate);
    app::Plot& plot = *editor.mainPlot();
    const double before = window.value("snare-top", "gate", "hold");
    const QPoint from = plot.axisRect()->rect().center(), to = from + QPoint(30, 0);
    const double wanted =
        1000.0 * (plot.xAxis->pixelToCoord(to.x()) - plot.xAxis->pixelToCoord(from.x()));
    QTest::mousePress(&plot, Qt::LeftButton, Qt::ShiftModifier, from);
    QTest::mouseRelease(&plot, Qt::LeftButton, Qt::ShiftModifier, to);
    EXPECT_NEAR(window.value("snare-top", "gate", "hold"), wanted, 1e-6);
    window->workspace().undo();
    EXPECT_DOUBLE_EQ(window.value("snare-top", "gate", "hold"), before);
}

TEST(GateBench, TheOpeningShapeIsWhatTheGateDoes) {
    const Window window;
    auto& editor = dynamic_cast<app::GateEditor&>(window.bench("snare-top", Column::gate));
    app::Plot& shape = *editor.shapePlot();
    const auto data = shape.graph(1)->data();
    ASSERT_GT(data->size(), 100);
    double lowest = 0.0, highest = -200.0;
    for (const auto& point : *data) {
        lowest = std::min(lowest, point.value);
        highest = std::max(highest, point.value);
    }
    EXPECT_NEAR(lowest, window.value("snare-top", "gate", "floor"), 0.05);
    EXPECT_NEAR(highest, 0.0, 0.05);
    dragHandle(shape, "release", -60, 0);
    EXPECT_LT(window.value("snare-top", "gate", "release"), 140.0);
    dragHandle(shape, "floor", 0, 25);
    EXPECT_LT(window.value("snare-top", "gate", "floor"), -16.5);
}

TEST(NumberFields, TakeValuesAndRefuseNonsense) {
    const Window window;
    auto& editor = window.bench("snare-top", Column::gate);
    QLineEdit& field = fieldOf(editor, "threshold");
    field.setFocus();
    field.selectAll();
    QTest::keyClicks(&field, "-22.5");
    QTest::keyClick(&field, Qt::Key_Return);
    EXPECT_DOUBLE_EQ(window.value("snare-top", "gate", "threshold"), -22.5);
    EXPECT_EQ(field.text(), QStringLiteral("−22.5 dB"));
    QLineEdit& hold = fieldOf(editor, "hold");
    hold.setFocus();
    hold.selectAll();
    QTest::keyClicks(&hold, "1/16");
    QTest::keyClick(&hold, Qt::Key_Return);
    EXPECT_NEAR(window.value("snare-top", "gate", "hold"), 15000.0 / tempoHere(window.session()),
                1e-9);
    field.setFocus();
    field.selectAll();
    QTest::keyClicks(&field, "very loud");
    QTest::keyClick(&field, Qt::Key_Return);
    EXPECT_DOUBLE_EQ(window.value("snare-top", "gate", "threshold"), -22.5)
        << "nonsense changes nothing";
    EXPECT_TRUE(field.property("refused").toBool());
    EXPECT_TRUE(window->lastMessage().contains("80.0 dB")) << window->lastMessage().toStdString();
    QTest::keyClick(&field, Qt::Key_Escape);
    EXPECT_EQ(field.text(), QStringLiteral("−22.5 dB"));
    EXPECT_FALSE(field.property("refused").toBool());
    QTest::keyClick(&field, Qt::Key_Up);
    EXPECT_GT(window.value("snare-top", "gate", "threshold"), -22.5);
}

TEST(NumberFields, AreDraggedAndResetByTheirLabels) {
    const Window window;
    auto& editor = window.bench("snare-top", Column::gate);
    auto* label = editor.findChildren<app::DragLabel*>().front();
    ASSERT_EQ(label->text(), "Threshold");
    const double before = window.value("snare-top", "gate", "threshold");
    QTest::mousePress(label, Qt::LeftButton, Qt::NoModifier, QPoint(10, 8));
    QMouseEvent move(QEvent::MouseMove, QPoint(10, -12), label->mapToGlobal(QPoint(10, -12)),
                     Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(label, &move);
    QTest::mouseRelease(label, Qt::LeftButton, Qt::NoModifier, QPoint(10, -12));
    EXPECT_GT(window.value("snare-top", "gate", "threshold"), before + 3.0) << "up is more";
    QTest::mouseDClick(label, Qt::LeftButton);
    EXPECT_DOUBLE_EQ(window.value("snare-top", "gate", "threshold"), -36.0);
}

TEST(AlignBench, PlayingFollowsTheStrokes) {
    const Window window;
    auto& editor = dynamic_cast<app::AlignEditor&>(window.bench("snare-bottom", Column::align));
    const Frames before = editor.strokeShown();
    window->player().seek(1.0);
    window->player().play();
    EXPECT_TRUE(QTest::qWaitFor(
        [&] { return editor.strokeShown() != before && editor.strokeShown() > 48000; }, 10000));
    window->player().stop();
}

TEST(DynamicsBench, CornerAndEndOfTheCurveSetThresholdAndRatio) {
    const Window window;
    auto& editor = window.bench("snare-top", Column::dynamics);
    app::Plot& plot = *editor.mainPlot();
    const double x = plot.handlePixel("threshold").x();
    dragHandle(plot, "threshold", -30, 0);
    EXPECT_NEAR(window.value("snare-top", "compressor", "threshold"),
                plot.xAxis->pixelToCoord(x - 30), 0.6);
    const double ratio = window.value("snare-top", "compressor", "ratio");
    dragHandle(plot, "ratio", 0, -40);
    EXPECT_LT(window.value("snare-top", "compressor", "ratio"), ratio) << "up means less ratio";
}

TEST(DynamicsBench, OneStrokeIsDrawnBeforeAndAfterWithOtherAttacks) {
    const Window window;
    auto& editor = dynamic_cast<app::DynamicsEditor&>(window.bench("snare-top", Column::dynamics));
    ASSERT_TRUE(window.listened());
    const auto loudest = [&](int graph) {
        double top = -200.0;
        for (const auto& point : *editor.strokePlot()->graph(graph)->data())
            top = std::max(top, point.value);
        return top;
    };
    ASSERT_TRUE(eventually([&] { return loudest(0) > -60.0; }));
    window->workspace().setValue("snare-top", "compressor", "make-up", 0.0);
    window->workspace().setValue("snare-top", "compressor", "threshold", -45.0);
    // Harder pressed it goes out softer than it came in, with a faster attack more so.
    EXPECT_TRUE(eventually([&] { return loudest(1) < loudest(0) - 1.0; }));
    EXPECT_LT(loudest(2), loudest(1));
    EXPECT_GT(loudest(3), loudest(1));
}

TEST(DynamicsBench, KeepLevelGivesBackTheLoudnessThatWasTaken) {
    const Window window;
    auto& editor = window.bench("snare-top", Column::dynamics);
    window->workspace().setValue("snare-top", "compressor", "threshold", -40.0);
    window->workspace().setValue("snare-top", "compressor", "make-up", 0.0);
    ASSERT_TRUE(window.settle());
    const auto change = [&] {
        const auto& chain = findRow(window.session(), "snare-top")->chain;
        const auto at = std::find_if(chain.begin(), chain.end(),
                                     [](const Stage& s) { return s.id == "compressor"; });
        const auto span =
            app::pictureSpan(window.session(),
                             window->tracer().of("snare-top")->stages[3].inputPeak, 64.0 / 48000.0);
        return matchGainDb(window.session(), window->workspace().store(), "snare-top",
                           stageBit(static_cast<int>(at - chain.begin())), span.from, span.to);
    };
    ASSERT_LT(change(), -2.0);
    editor.findChild<QPushButton*>("stage-keep-level")->click();
    ASSERT_TRUE(
        eventually([&] { return window.value("snare-top", "compressor", "make-up") > 1.0; }, 60.0));
    EXPECT_NEAR(change(), 0.0, 0.3);
    window->workspace().undo();
    EXPECT_DOUBLE_EQ(window.value("snare-top", "compressor", "make-up"), 0.0);
}

TEST(SeatBench, ThePointIsPanAndLevel) {
    const Window window;
    auto& editor = window.bench("hat", Column::seat);
    app::Plot& plot = *editor.mainPlot();
    const QPointF from = plot.handlePixel("seat");
    dragHandle(plot, "seat", -90, 30);
    EXPECT_NEAR(window.value("hat", "seat", "pan"), plot.xAxis->pixelToCoord(from.x() - 90), 2.0);
    EXPECT_LT(window.value("hat", "seat", "level"), -6.5);
}

TEST(AlignBench, PolarityTurnsTheWaveOverAndTheLineMovesIt) {
    const Window window;
    auto& editor = window.bench("snare-bottom", Column::align);
    app::Plot& plot = *editor.mainPlot();
    const auto value = [&] {
        return plot.graph(1)->data()->at(plot.graph(1)->data()->size() / 2)->value;
    };
    const double inverted = value();
    auto* meter = editor.findChild<app::SumMeter*>("sum-meter");
    const double together = meter->level();
    auto* polarity = editor.findChild<QComboBox*>();
    polarity->setCurrentIndex(0);
    emit polarity->activated(0);
    EXPECT_NEAR(value(), -inverted, 1e-9);
    EXPECT_LT(meter->level(), together - 1.0) << "the other way up they cancel";
    dragHandle(plot, "delay", 80, 0);
    EXPECT_GT(window.value("snare-bottom", "align", "delay"), 0.5);
}

TEST(Bench, StepsAreSwitchedOffReorderedAndFollowed) {
    const Window window;
    auto& editor = window.bench("hat", Column::repair);
    auto* on = editor.findChild<QCheckBox*>("stage-on");
    ASSERT_TRUE(on->isChecked());
    on->click();
    EXPECT_FALSE(findStage(*findRow(window.session(), "hat"), "eq")->on);
    for (auto* button : editor.findChildren<QPushButton*>()) {
        if (button->text() == "Later") button->click();
    }
    EXPECT_EQ(findRow(window.session(), "hat")->chain[2].id, "compressor");
    QTest::keyClick(&window->bench(), Qt::Key_Escape);
    EXPECT_TRUE(window->board().isVisible());
}

TEST(Bench, ProcessorsAreAddedDuplicatedAndRemoved) {
    const Window window;
    // A column with nothing in it says how to begin.
    window->showBench({"snare-top", Column::colour});
    EXPECT_TRUE(window->bench().isVisible());
    EXPECT_TRUE(window->bench().editors().empty());
    auto* add = window->bench().findChild<QToolButton*>("bench-add");
    ASSERT_TRUE(add->isVisibleTo(&window->bench()));
    emit add->menu()->aboutToShow();
    const auto actions = add->menu()->actions();
    const auto saturation = std::find_if(
        actions.begin(), actions.end(), [](const QAction* a) { return a->text() == "Saturation"; });
    ASSERT_NE(saturation, actions.end());
    (*saturation)->trigger();
    ASSERT_EQ(window->bench().editors().size(), 1U);
    const auto chain = [&] {
        std::string ids;
        for (const Stage& s : findRow(window.session(), "snare-top")->chain) ids += s.id + " ";
        return ids;
    };
    EXPECT_NE(chain().find("saturation"), std::string::npos);
    window->bench().editors()[0]->findChild<QPushButton*>("stage-duplicate")->click();
    EXPECT_EQ(window->bench().editors().size(), 2U);
    EXPECT_NE(chain().find("saturation-2"), std::string::npos);
    window->bench().editors()[0]->findChild<QPushButton*>("stage-remove")->click();
    EXPECT_EQ(chain().find("saturation "), std::string::npos);
    window->workspace().undo();
    window->workspace().undo();
    window->workspace().undo();
    EXPECT_EQ(chain().find("saturation"), std::string::npos);
}

// Every handle of every editor of this kind moves the value it stands for, and undo takes it back.
TEST(Bench, AChainIsCopiedToItsSibling) {
    const Window window;
    window->workspace().setValue("rack-tom", "eq", "b4.on", 1.0);
    window->workspace().setValue("rack-tom", "eq", "b4.gain", -7.0);
    window->showBench({"rack-tom", std::nullopt});
    auto* copy = window->bench().findChild<QToolButton*>("bench-copy");
    ASSERT_TRUE(copy->isVisibleTo(&window->bench()));
    emit copy->menu()->aboutToShow();
    ASSERT_FALSE(copy->menu()->actions().isEmpty());
    EXPECT_EQ(copy->menu()->actions().front()->data().toString(), "floor-tom");
    copy->menu()->actions().front()->trigger();
    EXPECT_EQ(window.value("floor-tom", "eq", "b4.gain"), -7.0);
    window->workspace().undo();
    EXPECT_NE(window.value("floor-tom", "eq", "b4.gain"), -7.0);
    window->showBench({"rack-tom", Column::gate});
    EXPECT_FALSE(copy->isVisibleTo(&window->bench())) << "only whole chains are copied";
}

TEST(Bench, ADetectorIsKeyedByAnotherRow) {
    const Window window;
    auto& editor = window.bench("kick-in", Column::gate);
    auto* key = editor.findChild<QComboBox*>("stage-key");
    ASSERT_NE(key, nullptr);
    const int snare = key->findData("snare-top");
    ASSERT_GT(snare, 0);
    key->setCurrentIndex(snare);
    emit key->activated(snare);
    EXPECT_EQ(findStage(*findRow(window.session(), "kick-in"), "gate")->key, "snare-top");
    EXPECT_TRUE(window.settle());
    window->workspace().undo();
    EXPECT_EQ(findStage(*findRow(window.session(), "kick-in"), "gate")->key, "");
}

TEST(Bench, AStepIsDraggedAlongItsChain) {
    const Window window;
    window->showBench({"snare-top", std::nullopt});
    QApplication::processEvents();
    const auto order = [&] {
        std::string ids;
        for (const Stage& s : findRow(window.session(), "snare-top")->chain) ids += s.id + " ";
        return ids;
    };
    const std::string before = order();
    ASSERT_EQ(before, "align gate eq compressor seat ");
    const auto editorOf = [&](const std::string& id) {
        for (app::StageEditor* e : window->bench().editors()) {
            if (e->stageId() == id) return e;
        }
        throw Error("There is no editor for " + id + ".");
    };
    const auto dragTo = [&](const std::string& from, const std::string& to, bool below) {
        QWidget* grip = editorOf(from)->grip();
        const app::StageEditor* target = editorOf(to);
        const QPoint end = grip->mapFromGlobal(
            target->mapToGlobal(QPoint(20, below ? target->height() - 10 : 10)));
        QTest::mousePress(grip, Qt::LeftButton, Qt::NoModifier, QPoint(5, 5));
        QMouseEvent move(QEvent::MouseMove, end, grip->mapToGlobal(end), Qt::NoButton,
                         Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(grip, &move);
        QTest::mouseRelease(grip, Qt::LeftButton, Qt::NoModifier, end);
        QApplication::processEvents();
    };
    dragTo("compressor", "gate", false);
    EXPECT_EQ(order(), "align compressor gate eq seat ");
    window->workspace().undo();
    EXPECT_EQ(order(), before);
    QApplication::processEvents();
    // Beyond the seat it stays before it; a click is no drag.
    dragTo("gate", "seat", true);
    EXPECT_EQ(order(), "align eq compressor gate seat ");
    QTest::mouseClick(editorOf("gate")->grip(), Qt::LeftButton);
    EXPECT_EQ(order(), "align eq compressor gate seat ");
}

TEST(Bench, PresetsAndChainsComeBackAsTheyWere) {
    const Window window;
    auto& editor = window.bench("snare-top", Column::gate);
    auto* presets = editor.findChild<app::PresetButton*>("stage-presets");
    ASSERT_NE(presets, nullptr);
    window->workspace().setValue("snare-top", "gate", "threshold", -21.0);
    presets->save("Tight");
    window->workspace().setValue("snare-top", "gate", "threshold", -40.0);
    emit presets->menu()->aboutToShow();
    ASSERT_EQ(presets->menu()->actions().front()->text(), "Tight");
    presets->menu()->actions().front()->trigger();
    EXPECT_DOUBLE_EQ(window.value("snare-top", "gate", "threshold"), -21.0);
    // A preset of another processor is refused in a sentence, and nothing changes.
    QSignalSpy refused(&window->workspace(), &app::Workspace::refused);
    auto* other =
        window.bench("snare-top", Column::repair).findChild<app::PresetButton*>("stage-presets");
    other->load(QStandardPaths::writableLocation(QStandardPaths::AppConfigLocation) +
                "/presets/gate/Tight.json");
    EXPECT_EQ(refused.count(), 1);
    // A whole chain, onto another row.
    window->showBench({"snare-top", std::nullopt});
    auto* chains = window->bench().findChild<app::PresetButton*>("bench-chains");
    chains->save("Snare");
    window->showBench({"rack-tom", std::nullopt});
    chains->load(chains->shelf() + "/Snare.json");
    EXPECT_DOUBLE_EQ(window.value("rack-tom", "gate", "threshold"), -21.0);
    EXPECT_EQ(findRow(window.session(), "rack-tom")->chain.size(),
              findRow(window.session(), "snare-top")->chain.size());
    window->workspace().undo();
    EXPECT_NE(window.value("rack-tom", "gate", "threshold"), -21.0);
}

TEST(ShapeBench, HandlesMoveTheirValues) {
    const Window window;
    struct Case {
        const char *type, *handle, *parameter;
        int dx, dy;
        bool up;
    };
    for (const Case& c : {Case{"expander", "threshold", "threshold", 25, 0, true},
                          Case{"stroke", "length", "length", -40, 0, false},
                          Case{"stroke", "fade", "floor", 0, 30, false},
                          Case{"de-harsher", "threshold", "threshold", -25, 0, false},
                          Case{"limiter", "ceiling", "ceiling", 0, 20, false},
                          Case{"transient", "attack", "attack", 0, -25, true},
                          Case{"transient", "sustain", "sustain", 0, 25, false},
                          Case{"saturation", "drive", "drive", -20, 0, true},
                          Case{"clipper", "ceiling", "ceiling", 0, 20, false},
                          Case{"crusher", "bits", "bits", 0, -20, false},
                          Case{"exciter", "highs", "highs", 0, -25, true},
                          Case{"exciter", "lows", "low-corner", 25, 0, true},
                          Case{"reverb", "decay", "decay", 0, -20, true},
                          Case{"reverb", "low-decay", "low-corner", 25, 0, true},
                          Case{"reverb", "high-decay", "high-decay", 0, 20, false},
                          Case{"delay", "left", "left", 25, 0, true},
                          Case{"pump", "depth", "depth", 0, 20, true},
                          Case{"pump", "return", "return", -20, 0, false},
                          Case{"pump", "bend", "bend", 0, 12, true},
                          Case{"weight", "level", "level", 0, -25, true},
                          Case{"weight", "decay", "decay", 25, 0, true},
                          Case{"modulation", "depth", "depth", 0, -15, true},
                          Case{"modulation", "spread", "spread", -20, 0, true},
                          Case{"resonator", "note", "note", 25, 0, true},
                          Case{"resonator", "damp", "damp", 0, 20, true}}) {
        window->workspace().addStage("snare-top", c.type);
        const Column home = processorType(c.type).home;
        window->showBench({"snare-top", home});
        app::StageEditor* editor = nullptr;
        for (app::StageEditor* e : window->bench().editors()) {
            if (e->stageId() == c.type) editor = e;
        }
        ASSERT_NE(editor, nullptr) << c.type;
        const double before = window.value("snare-top", c.type, c.parameter);
        test::dragHandle(*editor->mainPlot(), c.handle, c.dx, c.dy);
        const double after = window.value("snare-top", c.type, c.parameter);
        EXPECT_TRUE(c.up ? after > before : after < before)
            << c.type << "." << c.parameter << " " << before << " -> " << after;
        window->workspace().undo();
        EXPECT_NEAR(window.value("snare-top", c.type, c.parameter), before, 1e-9) << c.type;
        window->workspace().undo();
    }
}

}  // namespace
}  // namespace ember
