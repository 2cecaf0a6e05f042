// Review, transient ledger and order test: what is measured, shown and heard.

#include "app/compare/review_dialog.h"
#include "tests/ui/ui_support.h"

#include <QComboBox>
#include <QPushButton>
#include <QSignalSpy>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using test::eventually;
using test::Window;

TEST(Review, ListsWhatWasLeftBehindAndOpensIt) {
    const Window window;
    window->workspace().addStage("hat", "clipper");
    window->workspace().setValue("hat", "clipper", "ceiling", -0.5);
    window->workspace().setValue("hat", "gate", "threshold", -50.0);
    window->workspace().setStageOn("hat", "gate", false);
    ASSERT_TRUE(window.settle());
    QTest::keyClick(&*window, Qt::Key_V);
    auto* review = window->findChild<app::ReviewDialog*>("review");
    ASSERT_NE(review, nullptr);
    const auto lineOf = [&](const QString& text) {
        for (int i = 0; i < review->list().count(); ++i) {
            if (review->list().item(i)->text().contains(text)) return i;
        }
        return -1;
    };
    EXPECT_GE(lineOf("Hat, Gate is switched off with settings of its own"), 0);
    const int idle = lineOf("Hat, Clipper is on, and changed nothing");
    ASSERT_GE(idle, 0);
    emit review->list().itemActivated(review->list().item(idle));
    EXPECT_TRUE(window->bench().isVisible());
    ASSERT_FALSE(window->bench().editors().empty());
    EXPECT_EQ(window->bench().editors().front()->rowId(), "hat");
}

TEST(Review, FindsWhatCouldGo) {
    const Window window;
    window->workspace().setLoop({true, 1.0, 4.0});
    window->workspace().duplicateStage("hat", "eq");
    Session idle = window.session();
    Stage& copy = requireStage(requireRow(idle, "hat"), "eq-2");
    copy = makeStage("eq");
    copy.id = "eq-2";
    window->workspace().edit(withStageOn(std::move(idle), "hat", "eq-2", true));
    QTest::keyClick(&*window, Qt::Key_V);
    auto* review = window->findChild<app::ReviewDialog*>("review");
    ASSERT_NE(review, nullptr);
    const auto listed = [&] {
        for (int i = 0; i < review->list().count(); ++i) {
            if (review->list().item(i)->text().contains("could go")) return true;
        }
        return false;
    };
    EXPECT_FALSE(listed());
    auto* blind = review->findChild<QPushButton*>("review-blind");
    auto* off = review->findChild<QPushButton*>("review-off");
    ASSERT_NE(blind, nullptr);
    ASSERT_NE(off, nullptr);
    EXPECT_FALSE(blind->isEnabled());
    auto* weigh = review->findChild<QPushButton*>("review-weigh");
    weigh->click();
    ASSERT_TRUE(eventually(listed, 120));
    EXPECT_TRUE(off->isEnabled());
    // An edit makes it old.
    window->workspace().setValue("hat", "gate", "threshold", -44.0);
    EXPECT_FALSE(listed());
    EXPECT_FALSE(off->isEnabled());
    // Heard blind on the Compare page, against what there is now.
    weigh->click();
    ASSERT_TRUE(eventually(listed, 120));
    blind->click();
    EXPECT_TRUE(window->comparison().isVisible());
    auto* other = window->findChild<QComboBox*>("compare-b");
    ASSERT_NE(other, nullptr);
    EXPECT_TRUE(other->currentText().startsWith("Without")) << other->currentText().toStdString();
    EXPECT_EQ(window->findChild<QPushButton*>("blind-start")->text(), "End the test");
    EXPECT_TRUE(window->findChild<QPushButton*>("blind-is-a")->isVisible());
    ASSERT_TRUE(eventually([&] { return window->player().variantsReady(); }, 60));
    window->findChild<QPushButton*>("blind-start")->click();
    // Or switched off, as one edit with its reason.
    window->activateWindow();
    ASSERT_TRUE(eventually([&] { return window->isActiveWindow(); }));
    QTest::keyClick(&*window, Qt::Key_V);
    review = nullptr;
    for (auto* one : window->findChildren<app::ReviewDialog*>("review")) {
        if (one->isVisible()) review = one;
    }
    ASSERT_NE(review, nullptr);
    review->findChild<QPushButton*>("review-weigh")->click();
    ASSERT_TRUE(eventually(listed, 120));
    review->findChild<QPushButton*>("review-off")->click();
    EXPECT_FALSE(findStage(*findRow(window.session(), "hat"), "eq-2")->on);
    const auto& log = window->workspace().document().log();
    EXPECT_TRUE(std::any_of(log.begin(), log.end(), [](const LogEntry& entry) {
        return entry.reason.find("could go") != std::string::npos;
    }));
    window->workspace().undo();
    EXPECT_TRUE(findStage(*findRow(window.session(), "hat"), "eq-2")->on);
}

TEST(Ledger, IsMeasuredShownAndNamesAStage) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->workspace().addStage("snare-top", "clipper");
    window->workspace().setValue("snare-top", "clipper", "ceiling", -24.0);
    window->board().select({"snare-top", Column::dynamics});
    QTest::keyClick(&*window, Qt::Key_T);
    ASSERT_NE(window->ledger(), nullptr);
    ASSERT_TRUE(eventually([&] { return window->ledger()->ready(); }, 120.0));
    EXPECT_GE(window->ledger()->table().rowCount(), 2);
    EXPECT_TRUE(window->ledger()->sentence().contains("Clipper"))
        << window->ledger()->sentence().toStdString();
    delete window->ledger();
    window->activateWindow();
    ASSERT_TRUE(eventually([&] { return window->isActiveWindow(); }));
    window->board().select({"snare-top", Column::repair});
    QTest::keyClick(&*window, Qt::Key_X);
    ASSERT_NE(window->ledger(), nullptr);
    ASSERT_TRUE(eventually([&] { return window->ledger()->ready(); }, 120.0));
    EXPECT_EQ(window->ledger()->table().rowCount(), 2);
}

TEST(Preview, IsHeardAtOnceWhileStoppedAndLeavesTheSessionAlone) {
    const Window window;
    const Session before = window.session();
    Session other = withStageMoved(before, "snare-top", "eq", 1);
    window->player().preview(other);
    ASSERT_TRUE(eventually([&] { return window->player().previewing(); }));
    EXPECT_EQ(window.session(), before);
    // Another one in its place is a preview still.
    other = withStageMoved(other, "snare-top", "gate", 1);
    window->player().preview(other);
    ASSERT_TRUE(window.settle());
    EXPECT_TRUE(window->player().previewing());
    window->player().preview({});
    ASSERT_TRUE(eventually([&] { return !window->player().previewing(); }));
    window->player().preview({});  // nothing to end
    EXPECT_FALSE(window->player().previewing());
    // Another session ends it too.
    window->player().preview(other);
    ASSERT_TRUE(eventually([&] { return window->player().previewing(); }));
    window->workspace().begin(before);
    ASSERT_TRUE(eventually([&] { return !window->player().previewing(); }));
}

TEST(OrderTest, IsHeardOnTheNextBeatAndEndsWithTheDialog) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->board().select({"snare-top", Column::repair});
    QTest::keyClick(&*window, Qt::Key_X);
    app::LedgerDialog* dialog = window->ledger();
    ASSERT_NE(dialog, nullptr);
    ASSERT_TRUE(eventually([&] { return dialog->ready(); }, 120.0));
    const Session before = window.session();
    window->player().play();
    ASSERT_TRUE(eventually([&] { return window->player().position() > 0.5; }));
    dialog->activateWindow();
    ASSERT_TRUE(eventually([&] { return dialog->isActiveWindow(); }));
    QSignalSpy heard(&window->player(), &app::Player::previewChanged);
    QTest::keyClick(dialog, Qt::Key_X);
    ASSERT_TRUE(eventually([&] { return window->player().previewing(); }));
    const double at = window->player().position(),
                 off = at - nearestBeat(window.session().time, at);
    EXPECT_LT(std::abs(off), 0.12) << "it changes on a beat, seen at the pace of the meters";
    EXPECT_EQ(window.session(), before) << "hearing is no edit";
    QTest::keyClick(dialog, Qt::Key_X);
    ASSERT_TRUE(eventually([&] { return !window->player().previewing(); }));
    EXPECT_EQ(heard.count(), 2);
    // An edit ends it as well.
    auto* hear = dialog->findChild<QPushButton*>("order-hear");
    hear->click();
    ASSERT_TRUE(eventually([&] { return window->player().previewing(); }));
    window->workspace().setValue("snare-top", "seat", "level", -7.0);
    ASSERT_TRUE(eventually([&] { return !window->player().previewing(); }));
    EXPECT_FALSE(hear->isChecked());
    hear->click();
    delete dialog;
    ASSERT_TRUE(eventually([&] { return !window->player().previewing(); }));
    window->player().stop();
}

TEST(Reference, IsHeardInPlaceOfTheMixAsLoudAsItAndBackByOneKey) {
    const Window window;
    window->workspace().begin(test::withRecord(window.session()));
    ASSERT_TRUE(window.settle());
    const Document before(window.session());
    app::Player& player = window->player();
    player.play();
    ASSERT_TRUE(eventually([&] { return player.position() > 0.3; }));
    window->board().select({"record", std::nullopt});
    QTest::keyClick(&window->board(), Qt::Key_S);
    EXPECT_EQ(player.reference(), "record");
    auto* note = window->topBar().findChild<QLabel*>("compare-note");
    EXPECT_TRUE(note->text().startsWith("Old Mix, measuring")) << note->text().toStdString();
    ASSERT_TRUE(eventually([&] { return player.frame().heard != 0; }));
    EXPECT_TRUE(note->text().contains("as loud as the mix (")) << note->text().toStdString();
    EXPECT_EQ(window.session(), before.session()) << "hearing is no edit";
    // An edit of the mix goes on under it.
    window->workspace().setValue("snare-top", "seat", "level", -7.0);
    window->workspace().addStage("snare-top", "clipper");
    ASSERT_TRUE(window.settle());
    EXPECT_NE(player.frame().heard, 0U);
    QTest::keyClick(&window->board(), Qt::Key_S);
    EXPECT_TRUE(player.reference().empty());
    ASSERT_TRUE(eventually([&] { return player.frame().heard == 0; }));
    EXPECT_TRUE(note->text().isEmpty());
    // What is heard goes with its row.
    QTest::keyClick(&window->board(), Qt::Key_S);
    ASSERT_TRUE(eventually([&] { return player.frame().heard != 0; }));
    window->workspace().begin(before.session());
    ASSERT_TRUE(eventually([&] { return player.frame().heard == 0; }));
    EXPECT_TRUE(player.reference().empty());
    player.stop();
}

TEST(Comparing, FollowsEditsAndGoesBackAndForthAtOnce) {
    const Window window;
    window->board().select({"snare-top", Column::dynamics});
    app::Player& player = window->player();
    const auto compare = [&](bool before) {
        player.compare(before, app::CompareScope::cell, "snare-top", {"compressor"});
    };
    compare(true);
    ASSERT_TRUE(eventually([&] { return player.frame().heard != 0; }));
    const std::uint32_t first = player.frame().heard;
    compare(false);
    ASSERT_TRUE(eventually([&] { return player.frame().heard == 0; }));
    // It was kept, and has heard the moves since.
    window->workspace().setValue("snare-top", "seat", "level", -7.0);
    compare(true);
    ASSERT_TRUE(eventually([&] { return player.frame().heard != 0; }));
    EXPECT_EQ(player.frame().heard, first);
    // Another chain takes another plan, and stays before.
    window->workspace().addStage("hat", "clipper");
    ASSERT_TRUE(window.settle());
    ASSERT_TRUE(
        eventually([&] { return player.frame().heard != 0 && player.frame().heard != first; }));
    EXPECT_TRUE(player.hearingBefore());
    // Without the row there is nothing to compare.
    player.compare(true, app::CompareScope::row, "nobody", {});
    EXPECT_FALSE(player.hearingBefore());
    ASSERT_TRUE(eventually([&] { return player.frame().heard == 0; }));
}

}  // namespace
}  // namespace ember
