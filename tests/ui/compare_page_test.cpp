// Snapshots and two mixes beside each other, by mouse and by keyboard: heard on the beat and
// equally loud, blind, in figures, through undo, save and reopen.

#include "app/compare/preference_dialog.h"
#include "core/base/number.h"
#include "core/session/file.h"
#include "core/session/snapshot.h"
#include "tests/ui/ui_support.h"

#include <QComboBox>
#include <QInputDialog>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>
#include <QTimer>

namespace ember {
namespace {

using test::eventually;
using test::Window;

// A window that has listened, with a snapshot and a louder snare after it, on the page.
struct Compared {
    Window window;
    app::ComparePage& page;

    Compared() : page(window->comparison()) {
        EXPECT_TRUE(window.listened());
        window->workspace().edit(withSnapshotTaken(window.session(), "Before", "", 1000));
        window->workspace().setValue("snare-top", "seat", "level",
                                     window.value("snare-top", "seat", "level") + 9.0);
        QTest::keyClick(&*window, Qt::Key_D, Qt::ControlModifier);
        EXPECT_TRUE(page.isVisible());
        EXPECT_TRUE(eventually([&] { return page.settled() && window->player().ready(); }, 120));
    }
    [[nodiscard]] QPushButton& button(const char* name) const {
        return *page.findChild<QPushButton*>(name);
    }
    [[nodiscard]] QString state() const { return page.findChild<QLabel*>("compare-state")->text(); }
};

TEST(Compare, ShowsBothInFiguresAndSettings) {
    const Compared c;
    QTableWidget& table = c.page.figures().table();
    ASSERT_TRUE(eventually([&] { return table.rowCount() > 0; }, 120));
    int snare = -1;
    for (int r = 0; r < table.rowCount(); ++r) {
        if (table.item(r, 0)->text() == "Snare Top") snare = r;
    }
    ASSERT_GE(snare, 0);
    EXPECT_EQ(table.item(snare, 3)->text(), "+9.0");
    EXPECT_EQ(table.item(snare, 6)->text(), "0.0") << "louder is not punchier";
    EXPECT_EQ(table.item(snare, 3)->data(Qt::AccessibleTextRole).toString(), "change: +9.0");
    EXPECT_EQ(table.currentRow(), table.rowCount() - 1) << "the whole decides";
    ASSERT_EQ(c.page.figures().settings().count(), 1);
    EXPECT_TRUE(c.page.figures().settings().item(0)->text().contains("Snare Top"));
    EXPECT_TRUE(c.page.figures().text().contains("as loud as A"));
    // What there is now moves, and the figures follow.
    c.window->workspace().undo();
    ASSERT_TRUE(eventually(
        [&] { return c.page.settled() && c.page.figures().text().contains("nobody hears"); }, 120))
        << c.page.figures().text().toStdString();
}

TEST(Compare, ASnapshotComesFromAnotherSessionAndIsHeardBesideThis) {
    const Compared c;
    const auto file = c.window.folder() / "other.cask";
    Session other = withValue(c.window.session(), "kick-in", "seat", "level", -21.0);
    other.name = "Other";
    saveDocument(file, Document(other));
    const Session before = c.window.session();
    c.page.snapshots().bring(QString::fromStdString(file.string()), "");
    ASSERT_EQ(c.window.session().snapshots.size(), 2U);
    EXPECT_EQ(c.window.session().rows, before.rows);
    EXPECT_EQ(c.page.snapshots().list().count(), 2);
    c.button("snapshot-use").click();
    EXPECT_EQ(c.window.value("kick-in", "seat", "level"), -21.0);
    c.window->workspace().undo();
    c.window->workspace().undo();
    EXPECT_EQ(c.window.session(), before);
    // A file that is none.
    QSignalSpy refused(&c.window->workspace(), &app::Workspace::refused);
    c.page.snapshots().bring("/nowhere.cask", "");
    EXPECT_EQ(refused.count(), 1);
    EXPECT_EQ(c.window.session(), before);
}

TEST(Compare, OnePartMoreIsAddedAfterAnotherUntilAllAreThere) {
    const Compared c;
    auto* a = c.page.findChild<QComboBox*>("compare-a");
    auto* b = c.page.findChild<QComboBox*>("compare-b");
    QTest::keyClick(&c.page.figures().table(), Qt::Key_5);
    const QString first = a->currentData().toString(), second = b->currentData().toString();
    EXPECT_TRUE(first.startsWith("set:up-to-")) << first.toStdString();
    EXPECT_TRUE(second.startsWith("set:up-to-")) << second.toStdString();
    EXPECT_NE(first, second);
    ASSERT_TRUE(eventually([&] { return c.window->player().variantsReady(); }, 60));
    ASSERT_TRUE(
        eventually([&] { return c.window->player().variant() == app::Player::Side::second; }, 30))
        << "what has the part more is heard";
    c.button("compare-further").click();
    EXPECT_EQ(a->currentData().toString(), second);
    // At the end stands the mix as it is, and then it begins anew.
    for (int steps = 0; steps < 12 && !b->currentData().toString().isEmpty(); ++steps)
        c.button("compare-further").click();
    EXPECT_EQ(b->currentData().toString(), QString());
    c.button("compare-further").click();
    EXPECT_EQ(a->currentData().toString(), first);
}

TEST(Compare, ASnapshotKeepsAClipThatIsHeardAgainAndSaved) {
    const Window window;
    ASSERT_TRUE(window.settle());
    QTest::keyClick(&*window, Qt::Key_D, Qt::ControlModifier);
    app::SnapshotList& list = window->comparison().snapshots();
    auto* play = list.findChild<QPushButton*>("snapshot-clip");
    EXPECT_FALSE(play->isEnabled());
    window->clips().take("Tight");
    ASSERT_EQ(window.session().snapshots.size(), 1U);
    window->workspace().setValue("main", "seat", "level", -9.0);
    ASSERT_TRUE(eventually([&] { return play->isEnabled(); }, 60));
    const MixClip clip = *window.session().snapshots[0].clip;
    EXPECT_TRUE(std::filesystem::exists(clip.audio[0].file));
    // What came a little later is no step of its own.
    window->workspace().undo();
    EXPECT_EQ(window.value("main", "seat", "level"), 0.0);
    EXPECT_EQ(window.session().snapshots[0].clip, clip);
    window->workspace().redo();
    play->setFocus();
    QTest::keyClick(play, Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return window->player().previewing(); }, 60));
    EXPECT_TRUE(play->isChecked());
    auto* state = window->comparison().findChild<QLabel*>("compare-state");
    EXPECT_EQ(state->text(), "Heard: the clip of Tight");
    // A mix that is asked for takes its place.
    window->comparison().findChild<QPushButton*>("compare-hear-0")->click();
    ASSERT_TRUE(eventually([&] { return !window->player().previewing(); }, 30));
    EXPECT_FALSE(play->isChecked());
    EXPECT_NE(state->text(), "Heard: the clip of Tight");
    QTest::keyClick(play, Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return window->player().previewing(); }, 60));
    QTest::keyClick(play, Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return !window->player().previewing(); }, 30));
    EXPECT_FALSE(play->isChecked());
    // Saved, it lies beside the session and is read there.
    const QString file = QString::fromStdString((window.folder() / "clip.json").string());
    ASSERT_TRUE(window->saveTo(file));
    ASSERT_TRUE(window->openSession(file));
    ASSERT_TRUE(window.session().snapshots[0].clip);
    EXPECT_TRUE(window.session().snapshots[0].clip->audio[0].file.starts_with(
        (window.folder() / "clip.prints").string()))
        << window.session().snapshots[0].clip->audio[0].file;
    list.list().setCurrentRow(0);
    EXPECT_TRUE(play->isEnabled());
}

TEST(Compare, HearsEachInTurnAndTheSecondAsLoudAsTheFirst) {
    const Compared c;
    app::Player& player = c.window->player();
    c.window->workspace().setValue("main", "seat", "level", 4.0);
    ASSERT_TRUE(eventually([&] { return player.variantsReady() && c.page.settled(); }, 60));
    EXPECT_LT(*player.variantDb(), -3.0);
    ASSERT_TRUE(eventually([&] { return c.page.figures().table().rowCount() > 0; }, 120));
    // The snapshot has a plan of its own, what there is now is the session's.
    c.button("compare-hear-0").click();
    EXPECT_TRUE(c.button("compare-hear-0").isChecked());
    ASSERT_TRUE(eventually([&] { return player.frame().heard != 0; }));
    c.button("compare-hear-1").click();
    EXPECT_FALSE(c.button("compare-hear-0").isChecked());
    ASSERT_TRUE(eventually([&] { return player.frame().heard == 0; }));
    EXPECT_TRUE(c.state().contains(QString::fromStdString(changeText(*player.variantDb(), 1))));
    // An edit is weighed anew.
    const double before = *player.variantDb();
    c.window->workspace().setValue("main", "seat", "level", 6.0);
    ASSERT_TRUE(eventually([&] { return player.variantsReady(); }, 60));
    EXPECT_NEAR(*player.variantDb(), before - 2.0, 0.1);
    c.button("compare-hear-0").click();
    ASSERT_TRUE(eventually([&] { return player.frame().heard != 0; }));
    // Another session ends it.
    c.window->workspace().begin(c.window.session());
    ASSERT_TRUE(eventually([&] { return player.frame().heard == 0; }));
}

TEST(Compare, HearsASmallerSetOfMicrophonesAgainstAllOfThem) {
    const Compared c;
    app::Player& player = c.window->player();
    const Session before = c.window.session();
    c.page.choose(0, "");
    c.page.choose(1, "set:four");
    ASSERT_TRUE(eventually([&] { return player.variantsReady() && c.page.settled(); }, 60));
    EXPECT_NE(*player.variantDb(), 0.0) << "as loud as all of them";
    QListWidget& settings = c.page.figures().settings();
    ASSERT_TRUE(eventually([&] { return settings.count() > 3; }, 120));
    c.button("compare-hear-1").click();
    ASSERT_TRUE(eventually([&] { return player.frame().heard != 0; }));
    EXPECT_TRUE(c.state().contains("Set: Kick, snare and overheads")) << c.state().toStdString();
    // Planned anew, the rows of the set have other settings than now.
    const int muted = settings.count();
    c.page.choose(1, "anew:four");
    ASSERT_TRUE(eventually([&] { return c.page.settled() && settings.count() != muted; }, 120));
    EXPECT_EQ(c.window.session(), before) << "listening changes nothing";
}

TEST(Compare, TriesWidthsAndSaysWhatTheyCostInMono) {
    const Compared c;
    const Session before = c.window.session();
    c.page.choose(0, "");
    c.page.choose(1, "width:150");
    QTableWidget& table = c.page.figures().table();
    const auto mono = [&](const QString& row) {
        for (int r = 0; r < table.rowCount(); ++r) {
            if (table.item(r, 0)->text() == row) return table.item(r, 10)->text();
        }
        return QString();
    };
    ASSERT_TRUE(
        eventually([&] { return c.page.settled() && mono("Overhead").startsWith('+'); }, 120))
        << mono("Overhead").toStdString();
    c.page.choose(1, "width:0");
    ASSERT_TRUE(
        eventually([&] { return c.page.settled() && mono("Overhead").startsWith(u'−'); }, 120))
        << mono("Overhead").toStdString();
    EXPECT_EQ(mono("Snare Top"), "0.0") << "which is mono";
    EXPECT_EQ(c.window.session(), before);
}

TEST(Compare, IsWorkedByKeyboardAndEndsWithThePage) {
    Compared c;
    auto& page = c.page;
    QTest::keyClick(&page.figures().table(), Qt::Key_1);
    EXPECT_EQ(c.window->player().variant(), app::Player::Side::first);
    EXPECT_EQ(c.state(), "Heard: Before");
    QTest::keyClick(&page.figures().table(), Qt::Key_2);
    EXPECT_EQ(c.window->player().variant(), app::Player::Side::second);
    EXPECT_TRUE(c.state().contains("as loud as A")) << c.state().toStdString();
    QTest::keyClick(&page.figures().table(), Qt::Key_2);
    EXPECT_FALSE(c.window->player().variant().has_value());
    QTest::keyClick(&page.figures().table(), Qt::Key_4);
    EXPECT_EQ(c.window->player().variant(), app::Player::Side::difference);
    QTest::keyClick(&page.figures().table(), Qt::Key_3);
    EXPECT_EQ(c.window->player().variant(), app::Player::Side::difference) << "no X without a test";
    QTest::keyClick(&page.figures().table(), Qt::Key_4);
    // A row alone is weighed alone.
    auto* scope = page.findChild<QComboBox*>("compare-scope");
    scope->setCurrentIndex(scope->findData("snare-top"));
    emit scope->activated(scope->currentIndex());
    ASSERT_TRUE(eventually([&] { return c.window->player().variantsReady(); }, 60));
    EXPECT_NEAR(*c.window->player().variantDb(), -9.0, 0.1);
    QTest::keyClick(&page.figures().table(), Qt::Key_1);
    QTest::keyClick(&*c.window, Qt::Key_B, Qt::ControlModifier);
    EXPECT_FALSE(c.window->player().variant().has_value());
    EXPECT_FALSE(c.window->player().variantsReady());
}

TEST(Compare, ABlindTestTellsNothingBeforeItsEndAndIsWrittenDown) {
    Compared c;
    c.page.findChild<QSpinBox*>("blind-trials")->setValue(6);
    c.page.startBlindTest(3);
    BlindTest twin(6, 3);
    EXPECT_TRUE(c.button("blind-is-a").isVisible());
    auto* text = c.page.findChild<QLabel*>("blind-text");
    for (int trial = 0; trial < 6; ++trial) {
        EXPECT_EQ(text->text(), QString("Trial %1 of 6.").arg(trial + 1));
        c.button("compare-hear-2").click();
        EXPECT_EQ(c.window->player().variant(),
                  twin.xIsB() ? app::Player::Side::second : app::Player::Side::first);
        EXPECT_FALSE(c.state().contains("Before")) << "nothing tells";
        EXPECT_FALSE(c.state().contains("now"));
        const bool b = twin.xIsB();
        twin.answer(b);
        c.button(b ? "blind-is-b" : "blind-is-a").click();
    }
    EXPECT_TRUE(text->text().contains("6 of 6 right")) << text->text().toStdString();
    EXPECT_FALSE(c.button("blind-is-a").isVisible());
    const std::string told = c.window->workspace().document().log().back().what.text;
    EXPECT_NE(told.find("Blind test of “Before” and “As it is now”"), std::string::npos) << told;
}

TEST(Compare, WhatIsPreferredIsAskedBlindAndWrittenDown) {
    const Compared c;
    app::Player& player = c.window->player();
    c.button("compare-prefer").click();
    auto* dialog = c.page.findChild<app::PreferenceDialog*>();
    ASSERT_NE(dialog, nullptr);
    auto* start = dialog->findChild<QPushButton*>("preference-start");
    EXPECT_TRUE(start->isEnabled()) << "what there is now, and the snapshot";
    dialog->mixes().item(0)->setCheckState(Qt::Unchecked);
    EXPECT_FALSE(start->isEnabled()) << "one alone is no choice";
    EXPECT_FALSE(dialog->text().isEmpty());
    dialog->mixes().item(0)->setCheckState(Qt::Checked);
    dialog->findChild<QSpinBox*>("preference-rounds")->setValue(6);
    dialog->start(11);
    ASSERT_NE(dialog->test(), nullptr);
    ASSERT_EQ(dialog->test()->trials(), 6);
    const auto says = [&](const char* name) { return dialog->findChild<QPushButton*>(name); };
    while (!dialog->test()->done()) {
        ASSERT_TRUE(eventually([&] { return player.variantsReady(); }, 60));
        EXPECT_FALSE(says("preference-first")->isEnabled()) << "hear both first";
        says("preference-hear-1")->click();
        ASSERT_TRUE(eventually([&] { return player.variant() == app::Player::Side::first; }));
        QTest::keyClick(dialog, Qt::Key_2);
        ASSERT_TRUE(eventually([&] { return player.variant() == app::Player::Side::second; }));
        ASSERT_TRUE(says("preference-first")->isEnabled());
        EXPECT_FALSE(dialog->text().contains("prefer")) << "nothing of how it stands";
        // The snapshot is the second of the list; whoever hears it takes it.
        says(dialog->test()->pair().first == 1 ? "preference-first" : "preference-second")->click();
    }
    EXPECT_TRUE(dialog->text().contains("“Before” was preferred in 6 of 6"))
        << dialog->text().toStdString();
    EXPECT_TRUE(dialog->text().contains("you prefer it"));
    EXPECT_FALSE(player.variant());
    const auto& log = c.window->workspace().document().log();
    EXPECT_NE(log.back().what.text.find("Preference, The whole mix: “Before”"), std::string::npos)
        << log.back().what.text;
    dialog->close();
    // The page keeps its own two again.
    EXPECT_TRUE(eventually([&] { return player.variantsReady() && c.page.settled(); }, 120));
}

TEST(Compare, AnEditEndsABlindTestAndTwoOfOneMixAreNotCompared) {
    Compared c;
    c.page.startBlindTest(3);
    auto* text = c.page.findChild<QLabel*>("blind-text");
    ASSERT_TRUE(text->text().startsWith("Trial 1"));
    c.window->workspace().undo();
    EXPECT_TRUE(text->text().contains("ended")) << text->text().toStdString();
    EXPECT_FALSE(c.button("blind-is-a").isVisible());
    EXPECT_TRUE(c.button("compare-hear-0").isEnabled());
    c.page.choose(0, {});
    EXPECT_FALSE(c.button("compare-hear-0").isEnabled());
    EXPECT_FALSE(c.button("blind-start").isEnabled());
    QTest::keyClick(&c.page.figures().table(), Qt::Key_1);
    EXPECT_FALSE(c.window->player().variant().has_value());
    c.page.startBlindTest(3);
    EXPECT_FALSE(text->text().startsWith("Trial"));
}

TEST(Compare, SnapshotsAreTakenUsedJudgedAndKept) {
    const Window window;
    QTest::keyClick(&*window, Qt::Key_D, Qt::ControlModifier);
    app::SnapshotList& list = window->comparison().snapshots();
    EXPECT_FALSE(list.findChild<QPushButton*>("snapshot-use")->isEnabled());
    EXPECT_TRUE(window->comparison().figures().text().contains("Take a snapshot"));
    QTimer::singleShot(0, [&] {
        auto* ask = window->findChild<QInputDialog*>();
        ASSERT_NE(ask, nullptr);
        ask->setTextValue("Tight");
        ask->accept();
    });
    QTest::keyClick(&*window, Qt::Key_T, Qt::ControlModifier);
    ASSERT_EQ(list.list().count(), 1);
    EXPECT_TRUE(list.list().item(0)->text().startsWith("Tight"));
    EXPECT_EQ(window->comparison().findChild<QComboBox*>("compare-a")->currentText(), "Tight")
        << "what there was nothing of before is compared";
    window->workspace().setValue("hat", "gate", "threshold", -47.0);
    auto* verdict = list.findChild<QComboBox*>("snapshot-verdict");
    verdict->setCurrentIndex(1);
    emit verdict->activated(1);
    auto* note = list.findChild<QLineEdit*>("snapshot-note");
    note->setText("more snap");
    emit note->editingFinished();
    EXPECT_EQ(window.session().snapshots.front().verdict, Verdict::better);
    EXPECT_EQ(window.session().snapshots.front().note, "more snap");
    const QString file = QString::fromStdString((window.folder() / "kept.json").string());
    ASSERT_TRUE(window->saveTo(file));
    ASSERT_TRUE(window->openSession(file));
    ASSERT_EQ(list.list().count(), 1);
    EXPECT_TRUE(list.list().item(0)->text().contains("better"));
    list.findChild<QPushButton*>("snapshot-use")->click();
    EXPECT_NE(window.value("hat", "gate", "threshold"), -47.0);
    window->workspace().undo();
    EXPECT_EQ(window.value("hat", "gate", "threshold"), -47.0);
    list.findChild<QPushButton*>("snapshot-drop")->click();
    EXPECT_EQ(list.list().count(), 0);
    window->workspace().undo();
    EXPECT_EQ(list.list().count(), 1);
}

}  // namespace
}  // namespace ember
