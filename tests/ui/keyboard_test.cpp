// The whole job without a mouse.

#include "app/widgets/level_meter.h"
#include "app/window/ear_dialog.h"
#include "app/window/key_sheet.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "tests/ui/ui_support.h"

#include <QAction>
#include <QLineEdit>
#include <QMenuBar>
#include <QPushButton>
#include <QSlider>
#include <QSpinBox>

namespace ember {
namespace {

using test::eventually;
using test::Window;

QAction& actionFor(const Window& window, const QKeySequence& keys) {
    for (QAction* action : window->findChildren<QAction*>()) {
        if (action->shortcut() == keys) return *action;
    }
    throw std::runtime_error("no action for " + keys.toString().toStdString());
}

TEST(Keyboard, EveryShortcutBelongsToOneAction) {
    const Window window(false);
    QMap<QString, QString> seen;
    for (QAction* action : window->findChildren<QAction*>()) {
        const QString keys = action->shortcut().toString();
        if (keys.isEmpty()) continue;
        EXPECT_FALSE(seen.contains(keys)) << keys.toStdString() << ": " << seen[keys].toStdString()
                                          << " and " << action->text().toStdString();
        seen[keys] = action->text();
    }
    EXPECT_GE(seen.size(), 12);
    // The Board and the time line have keys of their own, which a menu would take away.
    for (const char* keys : {"M", "S", "F", "O", "G", "1", "2", "3", "4", "Left", "Right", "Del"})
        EXPECT_FALSE(seen.contains(keys)) << keys << ": " << seen[keys].toStdString();
}

TEST(Keyboard, StandsOnOneSheetThatIsSearched) {
    const Window window(false);
    actionFor(window, QKeySequence(Qt::CTRL | Qt::Key_Slash)).trigger();
    auto* sheet = window->findChild<app::KeySheet*>();
    ASSERT_NE(sheet, nullptr);
    const auto shown = [&] {
        QStringList out;
        for (int g = 0; g < sheet->keys().topLevelItemCount(); ++g) {
            const QTreeWidgetItem* group = sheet->keys().topLevelItem(g);
            for (int i = 0; i < group->childCount(); ++i) {
                if (!group->child(i)->isHidden() && !group->isHidden())
                    out << group->child(i)->text(1);
            }
        }
        return out;
    };
    // Every key of a menu stands there; of groups, those that there are.
    const QStringList all = shown();
    for (QAction* action : window->findChildren<QAction*>()) {
        if (action->shortcut().isEmpty() || !action->isVisible()) continue;
        EXPECT_TRUE(all.contains(action->text())) << action->text().toStdString();
    }
    QTest::keyClicks(sheet->findChild<QLineEdit*>("key-words"), "snapshot");
    EXPECT_EQ(shown(), QStringList{"Take a snapshot …"});
}

TEST(Keyboard, DoesTheJobFromCellToCell) {
    const Window window;
    app::Board& board = window->board();
    board.select({"kick-out", Column::gate});
    QTest::keyClick(&board, Qt::Key_Return);
    ASSERT_EQ(window->bench().editors().size(), 1U);
    QLineEdit& threshold = test::fieldOf(*window->bench().editors().front(), "threshold");
    threshold.setFocus();
    threshold.selectAll();
    QTest::keyClicks(&threshold, "-21");
    QTest::keyClick(&threshold, Qt::Key_Return);
    EXPECT_DOUBLE_EQ(window.value("kick-out", "gate", "threshold"), -21.0);
    EXPECT_TRUE(findStage(*findRow(window.session(), "kick-out"), "gate")->on)
        << "a value that is set is meant";
    QTest::keyClick(&threshold, Qt::Key_PageUp);
    EXPECT_NEAR(window.value("kick-out", "gate", "threshold"), -13.0, 1e-6)
        << "a tenth of the range";
    QTest::keyClick(&window->bench(), Qt::Key_Escape);
    EXPECT_EQ(board.selected().row, "kick-out");
    actionFor(window, QKeySequence::Undo).trigger();
    actionFor(window, QKeySequence::Undo).trigger();
    EXPECT_DOUBLE_EQ(window.value("kick-out", "gate", "threshold"), -36.0);
    actionFor(window, QKeySequence(Qt::Key_Space)).trigger();
    EXPECT_TRUE(eventually([&] { return window->player().position() > 0.1; }));
    actionFor(window, QKeySequence(Qt::Key_Space)).trigger();
    EXPECT_FALSE(window->player().playing());
    actionFor(window, QKeySequence(Qt::Key_L)).trigger();
    EXPECT_TRUE(window.session().loop.on);
    EXPECT_NEAR(window.session().loop.to - window.session().loop.from, 2.0 * 4.0 * 60.0 / 104.0,
                0.01)
        << "two bars under the playhead";
}

TEST(Keyboard, TabWalksTheHandlesOfAPlot) {
    const Window window;
    auto& editor = window.bench("snare-top", Column::repair);
    app::Plot& plot = *editor.mainPlot();
    plot.setFocus();
    QStringList walked;
    for (int i = 0; i < 3; ++i) {
        QTest::keyClick(&plot, Qt::Key_Tab);
        walked << plot.chosen();
    }
    EXPECT_EQ(walked, QStringList({"0", "3", "6"}))
        << "the bands that are on: " << walked.join(",").toStdString();
    const double before = window.value("snare-top", "eq", "b7.gain");
    QTest::keyClick(&plot, Qt::Key_Up);
    EXPECT_NEAR(window.value("snare-top", "eq", "b7.gain"), before + 0.25, 1e-9);
    QTest::keyClick(&plot, Qt::Key_Right);
    EXPECT_GT(window.value("snare-top", "eq", "b7.frequency"), 6500.0);
}

TEST(Accessibility, WidgetsThatActHaveNames) {
    const Window window;
    for (const Column column : app::kColumns) {
        window->showBench({"snare-top", column});  // an empty step has its own page
        QApplication::processEvents();
        for (const QWidget* widget : window->findChildren<QWidget*>()) {
            if (!widget->isVisible() || widget->focusPolicy() == Qt::NoFocus) continue;
            const bool named = !widget->accessibleName().isEmpty() ||
                               widget->inherits("QAbstractButton") ||
                               widget->inherits("QScrollArea");
            EXPECT_TRUE(named || widget->inherits("QMenuBar") || widget->inherits("QMainWindow"))
                << widget->metaObject()->className() << " " << widget->objectName().toStdString();
        }
    }
}

TEST(Monitor, StartsLowAndCautionsWhenHigh) {
    const Window window;
    EXPECT_LE(window->player().monitorDb(), -20.0);
    auto* slider = window->topBar().findChild<QSlider*>();
    slider->setValue(-3);
    EXPECT_DOUBLE_EQ(window->player().monitorDb(), -3.0);
    bool said = false;
    for (const auto* label : window->topBar().findChildren<QLabel*>())
        said = said || label->toolTip().contains("high");
    EXPECT_TRUE(said);
    slider->setValue(-60);
    EXPECT_LE(window->player().monitorDb(), -90.0);
}

TEST(Monitor, CountsLoudListening) {
    const Window window;
    window->player().setMonitorDb(0.0);
    window->workspace().setValue("main", "seat", "level", 12.0);
    window->workspace().setValue("drum-bus", "seat", "level", 12.0);
    window->player().play();
    EXPECT_TRUE(eventually([&] { return window->player().loudMinutes() > 0.002; }));
    window->player().stop();
}

// An hour by the clock, told every ten seconds.
struct Listened {
    app::Ear ear{false};
    QSignalSpy reminded{&ear, &app::Ear::reminded};
    QDateTime now{QDate(2026, 3, 4), QTime(9, 0)};
    double loud = 0.0;
    void go(double minutes, bool isLoud, double monitorDb, bool playing = true) {
        for (int i = 0; i < static_cast<int>(minutes * 6.0); ++i) {
            now = now.addSecs(10);
            if (isLoud) loud += 1.0 / 6.0;
            ear.follow(now, playing, loud, monitorDb);
        }
    }
    QStringList said() {
        QStringList out;
        for (const auto& one : reminded) out << one[0].toString();
        reminded.clear();
        return out;
    }
};

TEST(Ear, CountsDaysAndWeeksAndSaysWhenTheLimitIsReached) {
    Listened by;
    by.ear.setLimit(30.0);
    by.go(12.0, true, -10.0);
    EXPECT_NEAR(by.ear.minutesOn(QDate(2026, 3, 4)), 12.0, 1e-6);
    EXPECT_TRUE(by.said().isEmpty());
    by.go(19.0, true, -20.0);
    EXPECT_NEAR(by.ear.minutesOn(QDate(2026, 3, 4)), 31.0, 1e-6);
    EXPECT_TRUE(by.said().join(" ").contains("30 loud minutes today"));
    by.go(5.0, true, -30.0);
    EXPECT_FALSE(by.said().join(" ").contains("loud minutes")) << "once a day";
    by.now = QDateTime(QDate(2026, 3, 9), QTime(9, 0));
    by.go(6.0, true, -20.0);
    EXPECT_NEAR(by.ear.minutesOn(QDate(2026, 3, 9)), 6.0, 1e-6);
    EXPECT_NEAR(by.ear.minutesInWeek(QDate(2026, 3, 9)), 42.0, 1e-6);
    EXPECT_NEAR(by.ear.minutesInWeek(QDate(2026, 3, 11)), 6.0, 1e-6);
    EXPECT_THROW(by.ear.setLimit(-1.0), Error);
    EXPECT_THROW(by.ear.setLimit(1000.0), Error);
    by.ear.forget();
    EXPECT_EQ(by.ear.minutesInWeek(QDate(2026, 3, 9)), 0.0);
}

TEST(Ear, RemindsOfRestAndOfAnotherLevel) {
    Listened by;
    by.go(19.0, false, -24.0);
    EXPECT_TRUE(by.said().isEmpty());
    by.go(2.0, false, -24.0);
    EXPECT_TRUE(by.said().join(" ").contains("one listening level"));
    // Levels that change are not reminded of, playing without a rest is.
    for (int i = 0; i < 4; ++i) by.go(8.0, false, i % 2 == 0 ? -34.0 : -24.0);
    const QString said = by.said().join(" ");
    EXPECT_TRUE(said.contains("without a rest")) << said.toStdString();
    EXPECT_FALSE(said.contains("one listening level")) << said.toStdString();
    // A rest begins anew, and silence alone says nothing.
    by.go(30.0, false, -24.0 + 6.0);
    by.said();
    by.go(6.0, false, -18.0, false);
    by.go(40.0, false, -10.0);
    EXPECT_FALSE(by.said().join(" ").contains("without a rest"));
}

TEST(Ear, IsKeptOnThisMachineAndShownFromTheMenu) {
    {
        app::Ear ear(true);
        ear.forget();
        ear.setLimit(45.0);
        ear.follow(QDateTime::currentDateTime(), true, 0.0, -10.0);
        ear.follow(QDateTime::currentDateTime().addSecs(1), true, 12.0, -10.0);
    }
    app::Ear ear(true);
    EXPECT_EQ(ear.limit(), 45.0);
    app::EarDialog dialog(ear);
    EXPECT_TRUE(dialog.text().contains("Today 12 minutes")) << dialog.text().toStdString();
    auto* limit = dialog.findChild<QSpinBox*>("ear-limit");
    EXPECT_EQ(limit->value(), 45);
    limit->setValue(0);
    EXPECT_EQ(ear.limit(), 0.0);
    QTest::keyClick(dialog.findChild<QPushButton*>("ear-forget"), Qt::Key_Space);
    EXPECT_TRUE(dialog.text().contains("Today 0 minutes")) << dialog.text().toStdString();
    const Window window;
    EXPECT_EQ(window->ear().limit(), 0.0) << "tests remember nothing";
}

TEST(Meters, ShareAScaleThatRises) {
    EXPECT_EQ(app::meterShare(-100.0), 0.0);
    EXPECT_EQ(app::meterShare(6.0), 1.0);
    for (double db = -59.0; db < 6.0; db += 1.0)
        EXPECT_GT(app::meterShare(db), app::meterShare(db - 1.0));
}

TEST(Places, AreSaidInBarsAndTime) {
    Session session;
    session.time = steadyTime(120.0);
    EXPECT_EQ(app::placeText(session, 0.0).simplified(), "1.1 0:00.0");
    EXPECT_EQ(app::placeText(session, 2.0).simplified(), "2.1 0:02.0");
    EXPECT_EQ(app::placeText(session, 3.5).simplified(), "2.4 0:03.5");
    EXPECT_EQ(app::placeText(session, 61.25).simplified().section(' ', 1), "1:01.2");
}

TEST(TopBar, HoldsWhatItHoldsInANarrowWindowToo) {
    const Window window;
    for (const int width : {1280, 960}) {
        window->resize(width, 640);
        ASSERT_TRUE(eventually([&] { return window->topBar().width() == window->width(); }));
        const auto parts =
            window->topBar().findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly);
        for (const QWidget* a : parts) {
            if (!a->isVisible() || a->width() == 0) continue;
            EXPECT_LE(a->geometry().right(), window->width()) << width;
            for (const QWidget* b : parts) {
                if (a == b || !b->isVisible() || b->width() == 0) continue;
                EXPECT_FALSE(a->geometry().intersects(b->geometry()))
                    << width << " " << a->objectName().toStdString() << " "
                    << b->objectName().toStdString();
            }
        }
    }
}

}  // namespace
}  // namespace ember
