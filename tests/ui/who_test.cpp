// Who is who in the window: unsure rows first, heard, paired and parted at intake; asked about,
// named and corrected on the Board.

#include "app/board/row_menu.h"
#include "app/evidence/evidence_panel.h"
#include "app/widgets/certainty.h"
#include "tests/support/support.h"
#include "tests/ui/ui_support.h"

#include <QCheckBox>
#include <QComboBox>
#include <QMenu>
#include <QPushButton>

namespace ember::test {
namespace {

namespace fs = std::filesystem;
using app::IntakeTable;

// Short takes under names that say little: an unsure row, a pair that was not seen, a sure one.
fs::path strangers(const Window& window) {
    const fs::path folder = window.folder() / "takes";
    fs::create_directories(folder);
    for (const auto& [name, seed] : {std::pair{"zz-1", 1}, {"zz-2", 2}, {"Kick In", 3}})
        writeMono(folder / (std::string(name) + ".wav"),
                  noise(0.4, 96000, static_cast<std::uint64_t>(seed)));
    return folder;
}

TEST(IntakeRows, UnsureOnesComeFirstAndAreAnswered) {
    const Window window(false);
    window->intake().take({QString::fromStdString(strangers(window).string())});
    IntakeTable* table = window->intake().table();
    ASSERT_TRUE(eventually([&] { return table->rowCount() == 3; }, 60));
    EXPECT_EQ(table->item(2, IntakeTable::kName)->text(), "Kick In") << "the sure one last";
    EXPECT_EQ(table->unsure(), 2);
    const QWidget* grounds = table->cellWidget(0, IntakeTable::kGrounds);
    EXPECT_TRUE(grounds->accessibleDescription().contains("not sure"));
    auto* role = qobject_cast<QComboBox*>(table->cellWidget(0, IntakeTable::kRole));
    role->setCurrentIndex(role->findData(static_cast<int>(Role::hat)));
    emit role->activated(role->currentIndex());
    EXPECT_EQ(table->unsure(), 1);
    EXPECT_TRUE(
        table->cellWidget(0, IntakeTable::kGrounds)->accessibleDescription().contains("your word"));
}

TEST(IntakeRows, ArePairedPartedAndGivenARoleTogether) {
    const Window window(false);
    window->intake().take({QString::fromStdString(strangers(window).string())});
    IntakeTable* table = window->intake().table();
    ASSERT_TRUE(eventually([&] { return table->rowCount() == 3; }, 60));
    auto* pair = window->intake().findChild<QPushButton*>("intake-pair");
    auto* part = window->intake().findChild<QPushButton*>("intake-part");
    table->clearSelection();
    EXPECT_FALSE(pair->isEnabled());
    table->setRangeSelected({0, 0, 1, IntakeTable::kFields - 1}, true);
    ASSERT_TRUE(pair->isEnabled());
    table->setRole(Role::room);
    table->setRangeSelected({0, 0, 1, IntakeTable::kFields - 1}, true);
    QTest::mouseClick(pair, Qt::LeftButton);
    ASSERT_EQ(table->rowCount(), 2);
    EXPECT_EQ(table->intake().entries[0].sources.size(), 2U);
    EXPECT_EQ(table->intake().entries[0].role, Role::room);
    ASSERT_TRUE(part->isEnabled());
    QTest::mouseClick(part, Qt::LeftButton);
    EXPECT_EQ(table->rowCount(), 3);
    EXPECT_EQ(table->intake().entries[1].sources.size(), 1U);
}

TEST(IntakeRows, AreHeardThereAndThen) {
    const Window window(false);
    window->intake().take({QString::fromStdString(strangers(window).string())});
    IntakeTable* table = window->intake().table();
    ASSERT_TRUE(eventually([&] { return table->rowCount() == 3; }, 60));
    window->player().setMonitorDb(0.0);
    table->setCurrentCell(0, IntakeTable::kName);
    QTest::keyClick(table, Qt::Key_Space);
    ASSERT_TRUE(eventually([&] { return window->player().playing(); }));
    ASSERT_TRUE(eventually(
        [&] {
            return window.device() != nullptr && window->player().previewing() &&
                   peakDb(window.device()->recorded()[0]) > -40.0;
        },
        60))
        << "sound comes out before there is a session";
    QTest::keyClick(table, Qt::Key_Space);
    EXPECT_TRUE(eventually([&] { return !window->player().playing(); }));
}

TEST(RowMenu, ChangesNameRoleAndPairWithUndo) {
    const Window window;
    const Session before = window.session();
    window->workspace().rename("hat", "Big Hat");
    EXPECT_EQ(findRow(window.session(), "hat")->name, "Big Hat");
    window->workspace().setRole("hat", Role::ride);
    EXPECT_EQ(findRow(window.session(), "hat")->role, Role::ride);
    EXPECT_EQ(findRow(window.session(), "hat")->drum, "ride");
    window->workspace().part("overhead");
    ASSERT_NE(findRow(window.session(), "overhead-r"), nullptr);
    window->workspace().pair("overhead", "overhead-r");
    EXPECT_EQ(findRow(window.session(), "overhead")->sources.size(), 2U);
    for (int i = 0; i < 4; ++i) window->workspace().undo();
    EXPECT_EQ(window.session(), before);
    QMenu menu;
    app::fillRowMenu(menu, window->workspace(), window->player(), window->printer(), "overhead");
    QStringList labels;
    for (const QAction* action : menu.actions()) labels << action->text();
    EXPECT_TRUE(labels.contains("Exchange left and right")) << labels.join(", ").toStdString();
    EXPECT_TRUE(labels.contains("Part into two rows"));
    EXPECT_TRUE(labels.contains("Role"));
}

TEST(Doubt, AsksWhoItIsAndProposesNothingUntilThen) {
    const Window window;
    ASSERT_TRUE(window.listened());
    ASSERT_NE(window->listener().proposalOf("snare-bottom", "align"), nullptr);
    Session next = window.session();
    findRow(next, "snare-bottom")->who = {
        0.4, {"sound"}, {{Role::snareTop, 0.3}, {Role::hat, 0.1}}};
    window->workspace().edit(next);
    window->board().select({"snare-bottom", Column::align});
    EXPECT_EQ(window->listener().proposalOf("snare-bottom", "align"), nullptr);
    auto* question = window->findChild<QWidget*>("evidence-question");
    ASSERT_TRUE(question->isVisible());
    QPushButton* answer = nullptr;
    for (QPushButton* button : question->findChildren<QPushButton*>()) {
        if (button->text().startsWith("Snare bottom")) answer = button;
    }
    ASSERT_NE(answer, nullptr);
    QTest::mouseClick(answer, Qt::LeftButton);
    ASSERT_TRUE(eventually([&] { return !isUnsure(*findRow(window.session(), "snare-bottom")); }));
    EXPECT_FALSE(question->isVisible());
    EXPECT_EQ(findRow(window.session(), "snare-bottom")->who.grounds.front(), "person");
}

}  // namespace
}  // namespace ember::test
