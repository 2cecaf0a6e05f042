// Curves under the time line: drawn by mouse and by keys alone, shown on the bench, opened at
// strokes, kept and taken back.

#include "app/hits/movement_dialogs.h"
#include "app/hits/stroke_opening_dialog.h"
#include "core/engine/render.h"
#include "core/session/curves.h"
#include "core/session/file.h"
#include "core/session/routing.h"
#include "tests/ui/ui_support.h"

#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QSpinBox>
#include <QTimer>

namespace ember {
namespace {

using test::eventually;
using test::Window;

const CurvePlace kSnareLevel{"snare-top", "seat", "", "level"};

class CurvesUnderTheTimeLine : public testing::Test {
  protected:
    void SetUp() override {
        ASSERT_TRUE(window.listened());
        ASSERT_TRUE(window.settle());
        window->resize(1280, 800);
        window->show();
        window->showHits();
        ASSERT_TRUE(eventually([&] { return window->hits().timeLine().yOf("snare-top") > 0.0; }));
        QTest::qWait(0);
        window->hits().timeLine().showSong();
        window->hits().showCurve(kSnareLevel);
        ASSERT_TRUE(lane().isVisible());
    }
    [[nodiscard]] app::CurveLane& lane() const { return window->hits().curves().lane(); }
    [[nodiscard]] const Curve* curve(const CurvePlace& place = kSnareLevel) const {
        return findCurve(window.session(), place);
    }
    void doubleClick(double seconds, double value) const {
        const CurvePoint at{quarterAt(window.session().time, seconds), value};
        QTest::mouseDClick(&lane(), Qt::LeftButton, {}, lane().placeOf(at).toPoint());
    }
    template <typename Widget>
    [[nodiscard]] Widget& part(const char* name) const {
        return *window->findChild<Widget*>(name);
    }
    Window window;
};

TEST_F(CurvesUnderTheTimeLine, AreDrawnDraggedAndTakenBackByMouse) {
    doubleClick(1.0, 0.0);
    ASSERT_NE(curve(), nullptr);
    doubleClick(3.0, -20.0);
    ASSERT_EQ(curve()->points.size(), 2u);
    EXPECT_NEAR(curve()->points[1].value, -20.0, 1.0);
    EXPECT_EQ(lane().selected(), 1);
    const std::size_t lines = window->workspace().document().log().size();
    const QPoint from = lane().placeOf(curve()->points[1]).toPoint();
    QTest::mousePress(&lane(), Qt::LeftButton, {}, from);
    for (int step = 1; step <= 4; ++step)
        QTest::mouseMove(&lane(), from + QPoint(10 * step, -5 * step));
    QTest::mouseRelease(&lane(), Qt::LeftButton, {}, from + QPoint(40, -20));
    EXPECT_GT(curve()->points[1].value, -12.0);
    EXPECT_GT(curve()->points[1].quarter, quarterAt(window.session().time, 3.0));
    EXPECT_EQ(window->workspace().document().log().size(), lines + 1) << "a drag is one line";
    window->workspace().undo();
    EXPECT_NEAR(curve()->points[1].value, -20.0, 1.0);
    // In the mix it is what is heard.
    EXPECT_TRUE(window.settle());
    QTest::mouseClick(&part<QPushButton>("curve-on"), Qt::LeftButton);
    EXPECT_FALSE(curve()->on);
    part<QComboBox>("curve-bars").setCurrentIndex(2);
    emit part<QComboBox>("curve-bars").activated(2);
    EXPECT_EQ(curve()->bars, 2);
    QTest::mouseClick(&part<QPushButton>("curve-clear"), Qt::LeftButton);
    EXPECT_EQ(curve(), nullptr);
    window->workspace().undo();
    EXPECT_NE(curve(), nullptr);
}

TEST_F(CurvesUnderTheTimeLine, AreDrawnByKeysAlone) {
    window->hits().timeLine().setFocus();
    lane().setFocus();
    EXPECT_TRUE(part<QLabel>("hits-chosen").text().contains("adds a point"))
        << "what is said is about what has the keys";
    window->player().seek(1.0);
    QTest::keyClick(&lane(), Qt::Key_Insert);
    ASSERT_NE(curve(), nullptr);
    window->player().seek(4.0);
    QTest::keyClick(&lane(), Qt::Key_Insert);
    ASSERT_EQ(curve()->points.size(), 2u);
    const double before = curve()->points[1].value;
    for (int i = 0; i < 5; ++i) QTest::keyClick(&lane(), Qt::Key_Down);
    EXPECT_LT(curve()->points[1].value, before - 1.0);
    const double quarter = curve()->points[1].quarter;
    QTest::keyClick(&lane(), Qt::Key_Right, Qt::AltModifier);
    EXPECT_NEAR(curve()->points[1].quarter, quarter + 0.25, 1e-9);
    QTest::keyClick(&lane(), Qt::Key_Left);
    EXPECT_EQ(lane().selected(), 0);
    QTest::keyClick(&lane(), Qt::Key_1);
    EXPECT_EQ(curve()->points[0].shape, CurveShape::hold);
    EXPECT_NE(lane().accessibleDescription().indexOf("holds until the next"), -1)
        << lane().accessibleDescription().toStdString();
    QTest::keyClick(&lane(), Qt::Key_Delete);
    QTest::keyClick(&lane(), Qt::Key_Delete);
    EXPECT_EQ(curve(), nullptr) << "without points it goes";
}

TEST_F(CurvesUnderTheTimeLine, OpenASendAtEverySecondSnare) {
    window->workspace().attempt([&] {
        Session s = withBusAdded(window.session(), "Burst");
        Send send;
        send.to = "burst";
        return withSend(std::move(s), "snare-top", send);
    });
    const CurvePlace place{"snare-top", "", "burst", "level"};
    window->hits().showCurve(place);
    EXPECT_EQ(part<QComboBox>("curve-parameter").currentText().toStdString(),
              "Send to Burst · Level");
    QTimer::singleShot(0, [&] {
        auto* dialog = window->findChild<app::StrokeOpeningDialog*>();
        ASSERT_NE(dialog, nullptr);
        EXPECT_EQ(dialog->findChild<QComboBox*>("opening-drum")->currentText().toStdString(),
                  "Snare");
        dialog->findChild<QSpinBox*>("opening-every")->setValue(2);
        QTest::mouseClick(dialog->findChild<QPushButton*>("opening-draw"), Qt::LeftButton);
        dialog->close();
    });
    QTest::mouseClick(&part<QPushButton>("curve-strokes"), Qt::LeftButton);
    ASSERT_NE(curve(place), nullptr);
    EXPECT_GT(curve(place)->points.size(), 4u);
    // With the send its curve goes, and what is shown follows.
    window->workspace().removeSend("snare-top", "burst");
    EXPECT_FALSE(lane().place().has_value() && lane().place()->send == "burst");
}

TEST_F(CurvesUnderTheTimeLine, MoveTogetherAsOneWaveThroughUndoSaveReopenAndRender) {
    QTimer::singleShot(0, [&] {
        auto* dialog = window->findChild<app::WaveDialog*>();
        ASSERT_NE(dialog, nullptr);
        dialog->findChild<QSpinBox*>("wave-bars")->setValue(2);
        QTest::mouseClick(dialog->findChild<QPushButton*>("wave-draw"), Qt::LeftButton);
        dialog->close();
    });
    QTest::mouseClick(&part<QPushButton>("curve-wave"), Qt::LeftButton);
    ASSERT_NE(curve(), nullptr);
    EXPECT_EQ(curve()->bars, 2);
    const auto follow = [&](const char* button) {
        QTimer::singleShot(0, [this, button] {
            auto* dialog = window->findChild<app::TogetherDialog*>();
            ASSERT_NE(dialog, nullptr);
            QTest::mouseClick(dialog->findChild<QPushButton*>(button), Qt::LeftButton);
            dialog->close();
        });
        QTest::mouseClick(&part<QPushButton>("curve-together"), Qt::LeftButton);
    };
    follow("together-follow");
    ASSERT_TRUE(curve()->together);
    EXPECT_EQ(part<QPushButton>("curve-together").text().toStdString(), "With Movement 1 …");
    const CurvePlace hat{"hat", "seat", "", "level"};
    window->hits().showCurve(hat);
    follow("together-follow");
    ASSERT_NE(curve(hat), nullptr);
    EXPECT_EQ(curve(hat)->points.size(), curve()->points.size());

    // One point more here is one more there, as one step.
    const Session before = window.session();
    lane().addPoint(secondsAt(window.session().time, 1.0), valueUnder(window.session(), hat));
    EXPECT_EQ(curve()->points.size(), 3u);
    window->workspace().undo();
    EXPECT_EQ(window.session(), before);
    const QString path = QString::fromStdString((window.folder() / "together.cask").string());
    ASSERT_TRUE(window->saveTo(path));
    ASSERT_TRUE(window->openSession(path));
    EXPECT_EQ(window.session().rows, before.rows);
    RenderOptions options;
    options.to = 3.0;
    EXPECT_NE(renderMix(before, test::sharedStore(), options).channels,
              renderMix(withoutCurve(before, hat), test::sharedStore(), options).channels);
    window->hits().showCurve(hat);
    follow("together-alone");
    EXPECT_FALSE(curve(hat)->together);
    EXPECT_TRUE(curve()->together);
}

TEST_F(CurvesUnderTheTimeLine, AreToldOnTheBenchAndOpenedFromThere) {
    doubleClick(1.0, -6.0);
    EXPECT_TRUE(
        app::stateLabel(app::cellOf(window.session(), *findRow(window.session(), "snare-top"),
                                    Column::seat, nullptr))
            .contains("a curve moves it"));
    app::StageEditor& editor = window.bench("snare-top", Column::seat);
    QLineEdit& level = test::fieldOf(editor, "level");
    EXPECT_EQ(level.accessibleDescription().toStdString(), "moved by a curve");
    EXPECT_TRUE(test::fieldOf(editor, "pan").accessibleDescription().isEmpty());
    // The menu of any number that may move offers to draw it.
    QTimer::singleShot(0, [] {
        auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
        ASSERT_NE(menu, nullptr);
        for (QAction* action : menu->actions()) {
            if (action->objectName() == "draw-curve") action->trigger();
        }
        menu->close();
    });
    QContextMenuEvent event(QContextMenuEvent::Keyboard, {}, level.mapToGlobal(QPoint(2, 2)));
    QCoreApplication::sendEvent(&test::fieldOf(editor, "pan"), &event);
    ASSERT_TRUE(lane().isVisible());
    EXPECT_EQ(lane().place()->parameter, "pan");
}

TEST_F(CurvesUnderTheTimeLine, AreSavedAndOpenedAgain) {
    doubleClick(1.0, -6.0);
    doubleClick(2.0, -18.0);
    const Curve drawn = *curve();
    const QString file = QString::fromStdString((window.folder() / "drawn.cask").string());
    window->workspace().save(file);
    window->workspace().open(file);
    ASSERT_NE(curve(), nullptr);
    EXPECT_EQ(*curve(), drawn);
    EXPECT_FALSE(lane().place().has_value() && lane().selected() >= 0);
}

}  // namespace
}  // namespace ember
