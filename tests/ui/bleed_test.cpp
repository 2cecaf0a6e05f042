// Bleed as a mixer: drums turned in microphones by mouse and by keyboard, heard apart, through
// undo, save and reopen.

#include "core/session/bleed.h"

#include "app/board/row_menu.h"
#include "core/session/feeds.h"
#include "core/session/file.h"
#include "core/session/routing.h"
#include "tests/ui/ui_support.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

#include <cmath>
#include <filesystem>

namespace ember {
namespace {

using app::BleedMixer;
using test::eventually;
using test::Window;

// A window that has listened, on the page, with the kit taken apart.
struct Bled {
    Window window;
    BleedMixer& mixer;

    Bled() : mixer(window->flow().bleed().mixer()) {
        EXPECT_TRUE(window.listened());
        QTest::keyClick(&*window, Qt::Key_F, Qt::ControlModifier | Qt::ShiftModifier);
        EXPECT_TRUE(eventually([&] { return window->flow().bleed().ready(); }, 120.0));
    }
    [[nodiscard]] double gain(const std::string& row, const std::string& drum) const {
        return drumGain(*findRow(window.session(), row), drum);
    }
    // Chooses a cell by what is read to a person.
    bool choose(const QString& begins) {
        for (int r = 0; r < mixer.rowCount(); ++r) {
            for (int c = 0; c < mixer.columnCount(); ++c) {
                const QString told = mixer.item(r, c)->data(Qt::AccessibleTextRole).toString();
                if (!told.startsWith(begins)) continue;
                mixer.setCurrentCell(r, c);
                return true;
            }
        }
        return false;
    }
    QPushButton& button(const char* name) {
        return *window->flow().bleed().findChild<QPushButton*>(name);
    }
};

TEST(BleedMixer, IsWorkedByKeyboardAlone) {
    Bled bled;
    ASSERT_TRUE(bled.mixer.isVisible());
    const Session before = bled.window.session();
    ASSERT_TRUE(bled.choose("Kick in Snare Top"));
    QTest::keyClick(&bled.mixer, Qt::Key_Return);
    EXPECT_EQ(bled.gain("snare-top", "kick"), -24.0);
    const Stage* stage = findBleed(*findRow(bled.window.session(), "snare-top"));
    ASSERT_NE(stage, nullptr);
    EXPECT_TRUE(stage->on);
    EXPECT_EQ(stage->data.size(), 32U);
    QTest::keyClick(&bled.mixer, Qt::Key_Down, Qt::ControlModifier);
    QTest::keyClick(&bled.mixer, Qt::Key_Down, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_NEAR(bled.gain("snare-top", "kick"), -25.1, 1e-9);
    bled.mixer.currentItem()->setText("-12");
    EXPECT_EQ(bled.gain("snare-top", "kick"), -12.0);
    bled.mixer.currentItem()->setText("loud");
    EXPECT_EQ(bled.gain("snare-top", "kick"), -12.0);
    EXPECT_FALSE(bled.window->lastMessage().isEmpty());
    EXPECT_TRUE(bled.mixer.currentItem()
                    ->data(Qt::AccessibleTextRole)
                    .toString()
                    .contains("turned to −12.0 dB"));
    QTest::keyClick(&bled.mixer, Qt::Key_O);
    EXPECT_FALSE(findBleed(*findRow(bled.window.session(), "snare-top"))->on);
    QTest::keyClick(&bled.mixer, Qt::Key_O);
    // Its bench: a point a drum.
    app::StageEditor& editor = [&]() -> app::StageEditor& {
        bled.window->showBench({"snare-top", Column::gate});
        for (auto* e : bled.window->findChildren<app::StageEditor*>())
            if (e->isVisible() && e->stageId() == "bleed") return *e;
        return *bled.window->findChild<app::StageEditor*>();
    }();
    ASSERT_EQ(editor.stageId(), "bleed");
    EXPECT_GE(editor.mainPlot()->handles().size(), 5);
    test::dragHandle(*editor.mainPlot(), "kick", 0, -15);
    EXPECT_GT(bled.gain("snare-top", "kick"), -12.0);
    bled.window->workspace().undo();
    bled.window->showFlow(app::FlowSide::bleed);
    // The engine plays it.
    EXPECT_TRUE(bled.window.settle());
    EXPECT_EQ(bled.window->lastMessage().indexOf("taken apart"), -1);
    QTest::keyClick(&bled.mixer, Qt::Key_Delete);
    EXPECT_EQ(bled.gain("snare-top", "kick"), 0.0);
    for (int i = 0; i < 10 && bled.window.session() != before; ++i) bled.window->workspace().undo();
    EXPECT_EQ(bled.window.session(), before);
}

TEST(BleedMixer, StartingPointsAreOneEditAndSurviveSavingAndReopening) {
    Bled bled;
    const Session before = bled.window.session();
    bled.button("bleed-start-close").click();
    EXPECT_EQ(bled.gain("snare-top", "kick"), -24.0);
    EXPECT_EQ(bled.gain("snare-top", "snare"), 0.0);
    EXPECT_EQ(bled.gain("overhead", "kick"), 0.0);
    const Session turned = bled.window.session();
    bled.window->workspace().undo();
    EXPECT_EQ(bled.window.session(), before);
    bled.window->workspace().redo();
    EXPECT_EQ(bled.window.session(), turned);
    const auto file = bled.window.folder() / "mix.json";
    bled.window->workspace().save(QString::fromStdString(file.string()));
    EXPECT_TRUE(std::filesystem::exists(bled.window.folder() / "mix.bleed"))
        << "what it plays by lies beside it";
    bled.window->workspace().open(QString::fromStdString(file.string()));
    EXPECT_EQ(bled.gain("snare-top", "kick"), -24.0);
    bled.button("bleed-start-none").click();
    EXPECT_EQ(bled.gain("snare-top", "kick"), 0.0);
}

TEST(BleedMixer, ADragIsOneEditAndPartsAreHeardApart) {
    Bled bled;
    const Session before = bled.window.session();
    ASSERT_TRUE(bled.choose("Snare in Snare Bottom"));
    const QPoint at = bled.mixer.visualItemRect(bled.mixer.currentItem()).center();
    QTest::mousePress(bled.mixer.viewport(), Qt::LeftButton, {}, at);
    QTest::mouseMove(bled.mixer.viewport(), at + QPoint(0, 6));
    QTest::mouseMove(bled.mixer.viewport(), at + QPoint(0, 20));
    QTest::mouseRelease(bled.mixer.viewport(), Qt::LeftButton, {}, at + QPoint(0, 20));
    EXPECT_NEAR(bled.gain("snare-bottom", "snare"), -6.0, 1e-9);
    bled.button("bleed-hear-1").click();
    EXPECT_TRUE(eventually([&] { return bled.window->player().previewing(); }, 60.0));
    EXPECT_TRUE(bled.button("bleed-hear-1").isChecked());
    EXPECT_NEAR(bled.gain("snare-bottom", "snare"), -6.0, 1e-9) << "listening changes nothing";
    bled.button("bleed-hear-1").click();
    EXPECT_TRUE(eventually([&] { return !bled.window->player().previewing(); }, 60.0));
    bled.window->workspace().undo();
    EXPECT_EQ(bled.window.session(), before);
}

TEST(BleedMixer, ADrumAloneFeedsABusAndIsTakenAwayAgain) {
    Bled bled;
    bled.window->workspace().edit(withBusAdded(bled.window.session(), "Hall"));
    const Session before = bled.window.session();
    ASSERT_TRUE(bled.choose("Snare in Snare Top"));
    QMenu* buses = bled.button("bleed-alone").menu();
    emit buses->aboutToShow();
    const auto actionOf = [](const QMenu& menu, const QString& text) {
        for (QAction* action : menu.actions()) {
            if (action->text() == text) return action;
        }
        return static_cast<QAction*>(nullptr);
    };
    ASSERT_NE(actionOf(*buses, "Hall"), nullptr);
    actionOf(*buses, "Hall")->trigger();
    const Row* row = findRow(bled.window.session(), "snare-alone");
    ASSERT_NE(row, nullptr);
    EXPECT_EQ(row->parent, "hall");
    EXPECT_TRUE(isPart(*row));
    EXPECT_EQ(bled.window->flow().bleed().findChild<QLabel*>("bleed-listening")->text(),
              "Snare Alone feeds Hall.");
    // What was taken apart still is, and nothing is listened to anew.
    EXPECT_TRUE(bled.window.settle());
    EXPECT_FALSE(bled.button("bleed-anew").isVisible());
    QMenu menu;
    app::fillRowMenu(menu, bled.window->workspace(), bled.window->player(), bled.window->printer(),
                     "snare-alone");
    ASSERT_NE(actionOf(menu, "Remove this row"), nullptr);
    actionOf(menu, "Remove this row")->trigger();
    EXPECT_EQ(bled.window.session(), before);
    bled.window->workspace().undo();
    EXPECT_NE(findRow(bled.window.session(), "snare-alone"), nullptr);
    bled.window->workspace().undo();
    EXPECT_EQ(bled.window.session(), before);
}

TEST(BleedMixer, WhatIsProposedIsAcceptedMeasuredTakenBackAndDeclined) {
    Bled bled;
    app::Listener& listener = bled.window->listener();
    const Session before = bled.window.session();
    ASSERT_TRUE(bled.choose("Kick in Snare Top"));
    auto* school = bled.window->flow().bleed().findChild<QComboBox*>("bleed-school");
    school->setCurrentIndex(1);
    emit school->activated(1);
    EXPECT_EQ(bled.window.session().ways.bleed, BleedSchool::clean);
    EXPECT_TRUE(listener.open("bleed").empty()) << "it comes when it is asked for";
    bled.button("bleed-propose").click();
    EXPECT_FALSE(bled.button("bleed-propose").isEnabled());
    ASSERT_TRUE(eventually([&] { return !listener.open("bleed").empty(); }, 120.0));
    const std::size_t proposed = listener.open("bleed").size();
    const auto words = [&](const char* name) {
        return bled.window->flow().bleed().findChild<QLabel*>(name)->text();
    };
    EXPECT_EQ(words("bleed-proposal"), "Take the bleed out");
    EXPECT_TRUE(words("bleed-reason").contains("under Snare"))
        << words("bleed-reason").toStdString();
    const auto shown = [&] { return listener.proposalOf("snare-top", "bleed"); };
    bled.button("bleed-accept").click();
    EXPECT_EQ(bled.gain("snare-top", "kick"), shown()->turned.at("kick"));
    EXPECT_EQ(bled.gain("snare-top", "snare"), 0.0);
    EXPECT_EQ(words("bleed-advice-state"), "Accepted.");
    ASSERT_TRUE(eventually([&] { return shown()->effects.front().measured.has_value(); }, 120.0));
    for (const Effect& e : shown()->effects)
        EXPECT_NEAR(e.measured.value_or(NAN), *e.predicted, 0.5) << e.what;
    // All that is left, as one edit; then back.
    bled.button("bleed-accept-all").click();
    EXPECT_TRUE(listener.open("bleed").empty());
    EXPECT_LT(bled.gain("overhead", "kick"), 0.0);
    bled.window->workspace().undo();
    EXPECT_EQ(listener.open("bleed").size(), proposed - 1);
    bled.window->workspace().undo();
    EXPECT_EQ(bled.window.session().rows, before.rows);
    bled.button("bleed-decline").click();
    EXPECT_EQ(listener.open("bleed").size(), proposed - 1);
    EXPECT_EQ(shown(), nullptr);
}

TEST(BleedMixer, ShowsWhatIsHeardAndHowFarDrumsStandApart) {
    Bled bled;
    ASSERT_GE(bled.mixer.rowCount(), 6);
    ASSERT_GE(bled.mixer.columnCount(), 6);
    ASSERT_TRUE(bled.choose("Snare in Snare Top: heard 0 dB")) << "its own drum is the loudest";
    const int row = bled.mixer.currentRow(), last = bled.mixer.columnCount() - 1;
    EXPECT_EQ(bled.mixer.horizontalHeaderItem(last)->text(), "Apart by");
    EXPECT_TRUE(bled.mixer.item(row, last)
                    ->data(Qt::AccessibleTextRole)
                    .toString()
                    .contains("own strokes in Snare Top lie"));
    // It is read, and not turned.
    const Session before = bled.window.session();
    bled.mixer.setCurrentCell(row, last);
    QTest::keyClick(&bled.mixer, Qt::Key_Return);
    QTest::keyClick(&bled.mixer, Qt::Key_Down, Qt::ControlModifier);
    EXPECT_EQ(bled.window.session(), before);
    EXPECT_TRUE(bled.choose("Overhead hears the whole kit"));
}

TEST(BleedMixer, AProgrammedKitIsFedIntoItsOverheadsAndRoom) {
    Window window(false);
    ASSERT_TRUE(window.takeProgrammedDemo());
    const Session before = window.session();
    QTest::keyClick(&*window, Qt::Key_F, Qt::ControlModifier | Qt::ShiftModifier);
    app::BleedPage& page = window->flow().bleed();
    ASSERT_TRUE(page.isVisible());
    BleedMixer& mixer = page.mixer();
    auto* space = page.findChild<QPushButton*>("bleed-space");
    ASSERT_TRUE(space->isVisible());
    auto* words = page.findChild<QLabel*>("bleed-words");
    EXPECT_FALSE(words->isVisible()) << "there is no table yet";
    EXPECT_FALSE(page.findChild<QPushButton*>("bleed-anew")->isVisible());
    QTest::mouseClick(space, Qt::LeftButton);
    EXPECT_FALSE(space->isVisible());
    EXPECT_TRUE(words->isVisible());
    ASSERT_EQ(mixer.rowCount(), 2);
    EXPECT_EQ(mixer.verticalHeaderItem(1)->text(), "Kit Room");
    mixer.setFocus();
    for (int c = 0; c < mixer.columnCount(); ++c) {
        if (mixer.horizontalHeaderItem(c)->text() == "Snare") mixer.setCurrentCell(1, c);
    }
    const auto fed = [&] { return feedDb(window.session(), "snare", "kit-room"); };
    EXPECT_EQ(fed(), 0.0);
    QTest::keyClick(&mixer, Qt::Key_Down, Qt::ControlModifier);
    EXPECT_EQ(fed(), -1.0);
    mixer.currentItem()->setText("-7.5");
    EXPECT_EQ(fed(), -7.5);
    EXPECT_EQ(mixer.currentItem()->data(Qt::AccessibleTextRole).toString(),
              "Snare feeds Kit Room at −7.5 dB");
    EXPECT_TRUE(page.findChild<QLabel*>("bleed-place")->text().contains("Snare into Kit Room"));
    QTest::keyClick(&mixer, Qt::Key_Delete);
    EXPECT_EQ(fed(), kSendLowest);
    QTest::keyClick(&mixer, Qt::Key_Return);
    EXPECT_EQ(fed(), -12.0);
    // Saved and opened again it is the same; undone, it was never there.
    const auto file = window.folder() / "kit.json";
    window->workspace().save(QString::fromStdString(file.string()));
    EXPECT_EQ(feedDb(loadDocument(file).session(), "snare", "kit-room"), -12.0);
    for (int edit = 0; edit < 5; ++edit) window->workspace().undo();
    EXPECT_EQ(window.session(), before);
    EXPECT_TRUE(space->isVisible());
}

}  // namespace
}  // namespace ember
