// The Hits page: zooming, stepping, filtering, correcting by hand with undo, exporting; and the
// spots.

#include "tests/ui/ui_support.h"

#include <QComboBox>
#include <QElapsedTimer>
#include <QLabel>
#include <QPushButton>
#include <QWheelEvent>

#include <algorithm>
#include <cstdio>
#include <cstdlib>

namespace ember {
namespace {

using test::eventually;
using test::Window;

// A window whose kit has been listened to, on the Hits page.
class Hits : public testing::Test {
  protected:
    void SetUp() override {
        ASSERT_TRUE(window.listened());
        ASSERT_TRUE(window.settle());
        window->resize(1280, 800);
        window->show();
        window->showHits();
        ASSERT_TRUE(eventually([&] { return line().yOf("snare-top") > 0.0; }));
        QTest::qWait(0);
        line().showSong();
    }
    [[nodiscard]] app::TimeLine& line() const { return window->hits().timeLine(); }
    [[nodiscard]] const std::vector<Stroke>& all() const {
        return window->listener().measured()->strokes.strokes;
    }
    [[nodiscard]] Stroke first(const std::string& drum) const {
        return *std::find_if(all().begin(), all().end(),
                             [&](const Stroke& s) { return s.drum == drum; });
    }
    [[nodiscard]] long count(const std::string& drum, double time, double reach = 1e-6) const {
        return std::count_if(all().begin(), all().end(), [&](const Stroke& s) {
            return s.drum == drum && std::abs(s.time - time) < reach;
        });
    }
    [[nodiscard]] QPoint placeOf(const Stroke& s, const std::string& row) const {
        return QPointF(line().xAt(s.time), line().yOf(row)).toPoint();
    }
    void choose(const char* name, const QString& text) const {
        auto* box = window->findChild<QComboBox*>(name);
        box->setCurrentIndex(box->findText(text));
        emit box->activated(box->currentIndex());
    }
    Window window;
};

TEST_F(Hits, FiltersAndStepsByKey) {
    choose("hits-drum", "Snare");
    choose("hits-kind", "ghost");
    const auto ghosts = line().strokes();
    ASSERT_GT(ghosts.size(), 2U);
    for (const Stroke& s : ghosts) {
        EXPECT_EQ(s.drum, "snare");
        EXPECT_EQ(s.kind, StrokeKind::ghost);
    }
    window->player().seek(0.0);
    QTest::keyClick(&line(), Qt::Key_Right);
    ASSERT_TRUE(line().selected().has_value());
    EXPECT_EQ(*line().selected(), ghosts[0]);
    QTest::keyClick(&line(), Qt::Key_Right);
    EXPECT_EQ(*line().selected(), ghosts[1]);
    QTest::keyClick(&line(), Qt::Key_Left);
    EXPECT_EQ(*line().selected(), ghosts[0]);
    QTest::keyClick(&line(), Qt::Key_G);
    EXPECT_LT(line().to() - line().from(), 4.0);
    EXPECT_LT(line().from(), ghosts[0].time);
    EXPECT_GT(line().to(), ghosts[0].time);
}

TEST_F(Hits, ZoomsAroundThePointerDownToSamples) {
    const double x = line().xAt(5.0);
    for (int i = 0; i < 60; ++i) {
        QWheelEvent wheel(QPointF(x, 200), line().mapToGlobal(QPointF(x, 200)), {}, QPoint(0, 120),
                          Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(&line(), &wheel);
    }
    EXPECT_NEAR(line().to() - line().from(), 0.004, 1e-6);
    EXPECT_NEAR(line().secondsAt(x), 5.0, 0.003);
    EXPECT_FALSE(line().grab().isNull());
    QTest::keyClick(&line(), Qt::Key_Home);
    EXPECT_NEAR(line().to(), window->player().length(), 1e-6);
}

TEST_F(Hits, AStrokeIsRemovedMovedAndNamedByHandAndAllOfItUndone) {
    const Stroke kick = first("kick");
    line().select(kick);
    line().showBar();
    const std::size_t before = all().size();
    QTest::keyClick(&line(), Qt::Key_Delete);
    EXPECT_EQ(all().size(), before - 1);
    EXPECT_EQ(count("kick", kick.time), 0);
    EXPECT_TRUE(window->workspace().document().undoText().find("Kick") != std::string::npos)
        << window->workspace().document().undoText();
    window->workspace().undo();
    EXPECT_EQ(count("kick", kick.time), 1);

    // By mouse: 12 pixels to the right.
    const QPoint from = placeOf(kick, "kick-in");
    QTest::mousePress(&line(), Qt::LeftButton, {}, from);
    QTest::mouseMove(&line(), from + QPoint(6, 0));
    QTest::mouseMove(&line(), from + QPoint(12, 0));
    QTest::mouseRelease(&line(), Qt::LeftButton, {}, from + QPoint(12, 0));
    ASSERT_TRUE(line().selected().has_value());
    const double moved = line().selected()->time - kick.time;
    EXPECT_NEAR(moved, line().secondsAt(12.0) - line().secondsAt(0.0), 0.002);
    EXPECT_TRUE(line().selected()->byHand);
    EXPECT_EQ(count("kick", kick.time), 0);
    window->workspace().undo();  // the whole drag at once
    EXPECT_EQ(count("kick", kick.time), 1);

    line().select(kick);
    QTest::keyClick(&line(), Qt::Key_3);
    EXPECT_EQ(line().selected()->kind, StrokeKind::ghost);
    line().setDrum("snare");
    EXPECT_EQ(count("snare", kick.time), 1);
    EXPECT_EQ(count("kick", kick.time), 0);
    window->workspace().undo();
    window->workspace().undo();
    EXPECT_EQ(window.session().strokeEdits.size(), 0U);
    EXPECT_EQ(first("kick"), kick);
}

TEST_F(Hits, ADoubleClickAddsAStrokeWhereTheSoundRises) {
    // Take one away, then put it back a little beside its place: it finds the rise again.
    const Stroke snare = first("snare");
    line().select(snare);
    line().removeSelected();
    line().show(snare.time - 0.1, snare.time + 0.1);
    const QPoint beside(static_cast<int>(line().xAt(snare.time + 0.002)),
                        static_cast<int>(line().yOf("snare-top")));
    QTest::mouseDClick(&line(), Qt::LeftButton, {}, beside);
    ASSERT_TRUE(line().selected().has_value());
    EXPECT_EQ(line().selected()->drum, "snare");
    EXPECT_NEAR(line().selected()->time, snare.time, 0.0006);
    EXPECT_TRUE(line().selected()->byHand);
}

TEST_F(Hits, CorrectionsAreSavedAndRespectedWhenMeasuredAnew) {
    const Stroke gone = first("snare");
    line().select(gone);
    line().removeSelected();
    const QString file = QString::fromStdString((window.folder() / "S.json").string());
    ASSERT_TRUE(window->saveTo(file));
    ASSERT_TRUE(window->openSession(file));
    ASSERT_TRUE(window.listened());
    EXPECT_EQ(count("snare", gone.time), 0);
    ASSERT_TRUE(eventually([&] { return !window->listener().listening(); }, 120.0));
    EXPECT_EQ(count("snare", gone.time), 0);
}

TEST_F(Hits, WhatIsShownIsExported) {
    choose("hits-drum", "Kick");
    const auto path = [&](const char* name) {
        return QString::fromStdString((window.folder() / name).string());
    };
    ASSERT_TRUE(window->hits().exportTo(path("kick.csv")));
    const std::string csv = test::readText(window.folder() / "kick.csv");
    EXPECT_EQ(static_cast<std::size_t>(std::count(csv.begin(), csv.end(), '\n')),
              line().strokes().size() + 1);
    EXPECT_EQ(csv.find(",snare,"), std::string::npos);
    ASSERT_TRUE(window->hits().exportTo(path("kick.mid")));
    EXPECT_TRUE(test::readText(window.folder() / "kick.mid").starts_with("MThd"));
    EXPECT_FALSE(window->hits().exportTo(path("kick.txt")));
    EXPECT_TRUE(window->lastMessage().contains(".csv"));
}

TEST_F(Hits, SpotsAreLoopedByKeyAndNotedByHand) {
    window->board().select({"snare-top", Column::gate});
    QTest::keyClick(&*window, Qt::Key_N);
    const LoopSpan loop = window.session().loop;
    EXPECT_TRUE(loop.on);
    EXPECT_EQ(std::count_if(all().begin(), all().end(),
                            [&](const Stroke& s) {
                                return s.drum == "snare" && s.kind == StrokeKind::ghost &&
                                       s.time > loop.from - 0.05 && s.time < loop.to;
                            }) > 0,
              true);
    EXPECT_NEAR(window->player().position(), loop.from, 0.2);
    QTest::keyClick(&*window, Qt::Key_N);
    EXPECT_NE(window.session().loop, loop);
    QTest::keyClick(&*window, Qt::Key_N, Qt::ShiftModifier);
    EXPECT_EQ(window.session().loop, loop);
    QTest::keyClick(&*window, Qt::Key_M, Qt::ControlModifier);
    ASSERT_EQ(window.session().spots.size(), 1U);
    EXPECT_EQ(window.session().spots[0].from, loop.from);
    window->workspace().undo();
    EXPECT_TRUE(window.session().spots.empty());
    emit window->topBar().spotMenu().aboutToShow();
    EXPECT_GT(window->topBar().spotMenu().actions().size(), 4);
}

TEST_F(Hits, MetreAndBarLineAreSetByHandAndUndone) {
    auto* tempo = window->hits().findChild<QToolButton*>("hits-tempo");
    ASSERT_TRUE(tempo->isEnabled());
    emit tempo->menu()->aboutToShow();
    auto* metres = tempo->menu()->findChild<QMenu*>("hits-metre");
    ASSERT_NE(metres, nullptr);
    for (QAction* action : metres->actions()) {
        EXPECT_EQ(action->isChecked(), action->text() == "4/4");
        if (action->text() == "6/8") action->trigger();
    }
    EXPECT_EQ(metreText(window.session().time), "6/8");
    window->player().seek(1.5);
    emit tempo->menu()->aboutToShow();
    for (QAction* action : tempo->menu()->actions()) {
        if (action->text().contains("playhead")) action->trigger();
    }
    EXPECT_NEAR(window.session().time.start, 1.5, 0.01);
    window->workspace().undo();
    window->workspace().undo();
    EXPECT_EQ(metreText(window.session().time), "4/4");
}

TEST_F(Hits, TheSongsTimeFollowsTheDrummerOrAMidiFile) {
    auto* tempo = window->hits().findChild<QToolButton*>("hits-tempo");
    auto* menu = qobject_cast<app::TimeMenu*>(tempo->menu());
    ASSERT_NE(menu, nullptr);
    QSignalSpy said(menu, &app::TimeMenu::said);
    const TimeMap before = window.session().time;
    menu->follow();
    const TimeMap followed = window.session().time;
    EXPECT_GT(followed.tempos.size(), 4U);
    // The demo's drummer keeps 104 with bar 1 at 1.2 s, where nobody had told it yet.
    const double at = secondsOfBar(followed, 4);
    EXPECT_NEAR(std::remainder(at - 1.2, 240.0 / 104.0), 0.0, 0.01);
    EXPECT_TRUE(tempo->text().contains("bpm"));
    EXPECT_FALSE(tempo->text().contains("?"));
    // What was followed goes into a MIDI file and comes back.
    const test::TempFolder folder;
    const QString file = QString::fromStdString((folder / "time.mid").string());
    ASSERT_TRUE(window->hits().exportTo(file));
    window->workspace().undo();
    EXPECT_EQ(window.session().time, before);
    menu->takeMidi(file);
    const TimeMap taken = window.session().time;
    EXPECT_NEAR(secondsOfBar(taken, barAt(taken, at + 0.1)), at, 0.001);
    const Session kept = window.session();
    menu->takeMidi(QString::fromStdString((folder / "none.mid").string()));
    EXPECT_EQ(window.session(), kept);
    EXPECT_TRUE(said.back()[1].toBool());
    window->workspace().undo();
    EXPECT_EQ(window.session().time, before);
}

TEST_F(Hits, TheWholeKitIsAlignedInOneUndoableStep) {
    const Session before = window.session();
    ASSERT_FALSE(window->listener().open("align").empty());
    QTest::keyClick(&*window, Qt::Key_A, Qt::ShiftModifier);
    EXPECT_TRUE(window->listener().open("align").empty());
    EXPECT_NE(window.session(), before);
    // Every accepted one is measured in turn.
    EXPECT_TRUE(eventually(
        [&] {
            const Proposal* p = window->listener().proposalFor("snare-bottom", "align");
            return p != nullptr && !p->effects.empty() && p->effects[0].measured.has_value();
        },
        120.0));
    window->workspace().undo();
    EXPECT_EQ(window.session(), before);
}

// Not a test of speed but its figure: with EMBER_ACCURACY 24 tracks of four minutes, and how long
// the slowest picture of the whole page takes.
TEST(HitsPage, TwentyFourTracksAreDrawnAtAnyZoom) {
    const bool whole = std::getenv("EMBER_ACCURACY") != nullptr;
    const std::size_t seconds = whole ? 240 : 12;
    const Window window(false);
    Session session;
    for (int track = 0; track < 24; ++track) {
        std::vector<float> x(seconds * 48000, 0.0F);
        for (std::size_t at = static_cast<std::size_t>(track) * 500; at + 4800 < x.size();
             at += 24000) {
            const auto hit = test::noise(0.5, 4800, at + 1);
            std::copy(hit.begin(), hit.end(), x.begin() + static_cast<std::ptrdiff_t>(at));
        }
        const auto file = window.folder() / ("track-" + std::to_string(track) + ".wav");
        test::writeMono(file, x);
        Session one = test::oneElement(file);
        if (track == 0) {
            session = std::move(one);
            continue;
        }
        Row row = one.rows.front();
        row.id = "track-" + std::to_string(track);
        session.rows.insert(session.rows.begin(), std::move(row));
    }
    ASSERT_EQ(validate(session), "");
    window->workspace().begin(session);
    window->showHits();
    ASSERT_TRUE(eventually([&] { return window->player().ready(); }, 120.0));
    app::TimeLine& line = window->hits().timeLine();
    ASSERT_GT(window->player().length(), static_cast<double>(seconds) - 1.0);
    double worst = 0.0;
    for (const double span : {window->player().length(), 4.0, 0.5, 0.05, 0.004}) {
        line.show(3.0, 3.0 + span);
        EXPECT_FALSE(line.grab().isNull());  // reads what it needs for the first time
        line.show(3.2, 3.2 + span);
        QElapsedTimer timer;
        timer.start();
        EXPECT_FALSE(line.grab().isNull());
        worst = std::max(worst, static_cast<double>(timer.nsecsElapsed()) * 1e-6);
    }
    if (whole) std::printf("Hits page, 24 tracks of 4 minutes, slowest picture: %.1f ms\n", worst);
}

}  // namespace
}  // namespace ember
