// One key a group, and one for every effect: by keys, in the menu, on the beat, through undo.
#include "app/window/key_sheet.h"
#include "core/session/routing.h"
#include "tests/ui/ui_support.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>

#include <algorithm>

namespace ember {
namespace {

using test::eventually;
using test::Window;

// The place of a group's key.
int placeOf(const app::MainWindow& window, const QString& name) {
    for (int n = 0; n < app::GroupMenu::kMostGroups; ++n) {
        if (const_cast<app::MainWindow&>(window).groups().group(n).text().endsWith(name)) return n;
    }
    return -1;
}

// The group's row.
const Row& group(const Window& window, const std::string& name) {
    const auto& rows = window.session().rows;
    return *std::find_if(rows.begin(), rows.end(), [&](const Row& row) {
        return row.kind == RowKind::bus && row.name == name;
    });
}

void press(const Window& window, int digit) {
    QTest::keyClick(&*window, static_cast<Qt::Key>(Qt::Key_0 + digit), Qt::ControlModifier);
}

TEST(Groups, AKeyMutesOneAndReturnsIt) {
    const Window window;
    const Session before = window.session();
    const int place = placeOf(*window, "Snare");
    ASSERT_GE(place, 0);
    EXPECT_EQ(window->groups().group(place).text(), "Mute Snare");
    press(window, place + 1);
    EXPECT_TRUE(group(window, "Snare").mute);
    EXPECT_EQ(window->groups().group(place).text(), "Return Snare");
    EXPECT_EQ(window->lastMessage(), "Snare is silent.");
    window->workspace().undo();
    EXPECT_EQ(window.session(), before);
    EXPECT_EQ(window->groups().group(place).text(), "Mute Snare");
    press(window, place + 1);
    press(window, place + 1);
    EXPECT_FALSE(group(window, "Snare").mute);
    EXPECT_EQ(window->lastMessage(), "Snare is heard again.");
    // A name may hold what menus read as a key.
    Session named = window.session();
    requireRow(named, group(window, "Snare").id).name = "Snare & Clap";
    window->workspace().edit(std::move(named));
    EXPECT_EQ(window->groups().group(place).text(), "Mute Snare && Clap");
    EXPECT_EQ(app::KeySheet(*window->menuBar())
                  .findChild<QTreeWidget*>("key-list")
                  ->findItems("Mute Snare & Clap", Qt::MatchExactly | Qt::MatchRecursive, 1)
                  .size(),
              1);
    window->workspace().undo();
    // A key without a group does nothing, and is not offered.
    EXPECT_FALSE(window->groups().group(8).isVisible());
    press(window, 9);
    EXPECT_EQ(window.session().rows, before.rows);
    // Keys of menus inside menus are on the sheet.
    const app::KeySheet sheet(*window->menuBar());
    EXPECT_EQ(sheet.findChild<QTreeWidget*>("key-list")
                  ->findItems("Mute Snare", Qt::MatchExactly | Qt::MatchRecursive, 1)
                  .size(),
              1);
}

TEST(Groups, GoOutOnTheBeatWhereThatIsWanted) {
    const Window window;
    ASSERT_TRUE(window.settle());
    const int place = placeOf(*window, "Snare");
    ASSERT_GE(place, 0);
    window->groups().onBeat().setChecked(true);
    window->player().play();
    press(window, place + 1);
    EXPECT_EQ(window->lastMessage(), "Snare is silent from the next beat on.");
    EXPECT_TRUE(group(window, "Snare").mute) << "the edit itself waits for nothing";
    window->player().stop();
    // Standing still, nothing waits.
    press(window, place + 1);
    EXPECT_EQ(window->lastMessage(), "Snare is heard again.");
}

TEST(Groups, OneKeyTakesEveryEffectOutAndBringsItBack) {
    const Window window;
    ASSERT_TRUE(window.settle());
    app::Player& player = window->player();
    press(window, 0);
    EXPECT_TRUE(window->lastMessage().startsWith("There are no effects"))
        << window->lastMessage().toStdString();
    EXPECT_FALSE(player.hearingBefore());
    Session wet = withBusAdded(window.session(), "Hall");
    wet = withStageAdded(std::move(wet), "hall", "reverb");
    wet = withSend(std::move(wet), "snare-top", {.to = "hall", .levelDb = 0.0});
    window->workspace().edit(std::move(wet));
    ASSERT_TRUE(window.settle());
    const Session before = window.session();
    press(window, 0);
    EXPECT_TRUE(player.hearingWithoutEffects());
    EXPECT_EQ(window->groups().effects().text(), "Bring the effects back");
    ASSERT_TRUE(eventually([&] {
        return player.frame().heard != 0 &&
               player.compareText().startsWith("Without effects, level-matched");
    })) << player.compareText().toStdString();
    EXPECT_EQ(window.session(), before) << "it is heard and not decided";
    EXPECT_TRUE(window->topBar().findChild<QPushButton*>("before")->isChecked());
    auto* compared = window->topBar().findChild<QComboBox*>();
    EXPECT_EQ(compared->currentText(), "effects") << "what is passed by is said";
    // In a narrow window the note beside it is cut short, and the bar stays as high as it was.
    auto* note = window->topBar().findChild<QLabel*>("compare-note");
    const int high = window->topBar().height();
    EXPECT_EQ(note->text(), player.compareText());
    window->resize(960, 640);
    ASSERT_TRUE(eventually([&] { return window->topBar().width() == 960; }));
    EXPECT_LE(window->topBar().height(), high);
    EXPECT_LE(note->sizeHint().width(), std::max(note->width(), 12));
    EXPECT_EQ(note->toolTip(), player.compareText()) << "it is there in full";
    window->resize(1280, 800);
    // What is edited meanwhile is heard in it too, and it stays.
    window->workspace().setValue("snare-top", "seat", "level", -3.0);
    window->workspace().addStage("hat", "clipper");
    ASSERT_TRUE(window.settle());
    EXPECT_TRUE(eventually([&] { return player.frame().heard != 0; }));
    press(window, 0);
    EXPECT_FALSE(player.hearingWithoutEffects());
    ASSERT_TRUE(eventually([&] { return player.frame().heard == 0; }));
    EXPECT_EQ(window->groups().effects().text(), "Take all effects out");
    EXPECT_EQ(compared->currentText(), "this cell") << "as it was chosen before";
    // By the comparison's own choice too; another scope in its place is another mix.
    auto* scope = window->topBar().findChild<QComboBox*>();
    scope->setCurrentText("effects");
    QTest::keyClick(&*window, Qt::Key_B);
    ASSERT_TRUE(eventually([&] { return player.ready() && player.frame().heard != 0; }));
    EXPECT_TRUE(player.hearingWithoutEffects());
    scope->setCurrentText("everything");
    emit scope->activated(scope->currentIndex());
    EXPECT_FALSE(player.hearingWithoutEffects());
    EXPECT_TRUE(player.hearingBefore());
    ASSERT_TRUE(eventually([&] {
        return player.frame().heard != 0 && player.compareText().startsWith("Before, level");
    }));
    QTest::keyClick(&*window, Qt::Key_B);
    ASSERT_TRUE(eventually([&] { return player.frame().heard == 0; }));
}

}  // namespace
}  // namespace ember
