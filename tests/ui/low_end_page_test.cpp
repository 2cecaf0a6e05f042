// Kick and bass by themselves, on the Flow page: measured where it is shown, done with a reason,
// undone, heard alone.

#include "app/board/row_report_dialog.h"
#include "core/session/routing.h"
#include "tests/ui/ui_support.h"

#include <QPushButton>
#include <QTableWidget>

namespace ember {
namespace {

using test::eventually;
using test::Window;

struct BottomPage {
    Window window;
    app::LowEndPage& page;

    BottomPage() : page(window->flow().lowEnd()) {
        // Loud enough to be in the way of any kick.
        window->workspace().edit(withValue(window.session(), "bass", "seat", "level", 12.0));
        QTest::keyClick(&*window, Qt::Key_F, Qt::ControlModifier | Qt::AltModifier);
    }
    [[nodiscard]] bool measured() {
        return eventually([&] { return !page.measuring() && page.found() != nullptr; }, 120.0);
    }
    QPushButton* button(const char* name) { return page.findChild<QPushButton*>(name); }
    static void press(QPushButton* one) {
        one->setFocus();
        QTest::keyClick(one, Qt::Key_Return);
    }
};

TEST(LowEndPage, SaysWhoOwnsWhatDoesWhatFreesTheKickAndTakesItBack) {
    BottomPage bottom;
    ASSERT_TRUE(bottom.page.isVisible());
    ASSERT_TRUE(bottom.measured()) << bottom.page.text().toStdString();
    EXPECT_EQ(bottom.page.octaves().rowCount(), 4);
    EXPECT_FALSE(
        bottom.page.octaves().item(1, 3)->data(Qt::AccessibleTextRole).toString().isEmpty());
    EXPECT_TRUE(bottom.page.text().contains("is usual")) << bottom.page.text().toStdString();
    const LowEnd before = *bottom.page.found();
    ASSERT_FALSE(before.moves.empty());
    ASSERT_EQ(before.moves[0].kind, LowMove::Kind::duck);
    QPushButton* make = bottom.button("low-move-0");
    ASSERT_NE(make, nullptr);
    EXPECT_TRUE(make->accessibleName().contains("steps back"));
    BottomPage::press(make);
    const Row* bass = findRow(bottom.window.session(), "bass");
    ASSERT_NE(findStage(*bass, "pump"), nullptr);
    EXPECT_FALSE(bottom.window.session().strokes.get().empty()) << "they drive it";
    const auto& log = bottom.window->workspace().document().log();
    EXPECT_TRUE(std::any_of(log.begin(), log.end(), [](const LogEntry& entry) {
        return entry.reason.find("the kick gains") != std::string::npos;
    }));
    ASSERT_TRUE(bottom.measured());
    EXPECT_NEAR(bottom.page.found()->overDb, before.overDb + before.moves[0].freesDb, 0.01);
    bottom.window->workspace().undo();
    EXPECT_EQ(findStage(*findRow(bottom.window.session(), "bass"), "pump"), nullptr);
    ASSERT_TRUE(bottom.measured());
    EXPECT_NEAR(bottom.page.found()->overDb, before.overDb, 0.01);
}

TEST(LowEndPage, HearsBothAloneGoesToTheWorstPlaceAndSaysWhatIsMissing) {
    BottomPage bottom;
    ASSERT_TRUE(bottom.measured());
    BottomPage::press(bottom.button("low-alone"));
    EXPECT_TRUE(eventually([&] { return bottom.window->player().previewing(); }));
    // Another page, and the mix is back.
    QTest::keyClick(&*bottom.window, Qt::Key_F, Qt::ControlModifier);
    EXPECT_TRUE(eventually([&] { return !bottom.window->player().previewing(); }));
    QTest::keyClick(&*bottom.window, Qt::Key_F, Qt::ControlModifier | Qt::AltModifier);
    EXPECT_FALSE(bottom.button("low-alone")->isChecked());
    BottomPage::press(bottom.button("low-worst"));
    double worst = 1e9, at = 0.0;
    for (const LowStroke& stroke : bottom.page.found()->strokes) {
        if (stroke.overDb >= worst) continue;
        worst = stroke.overDb;
        at = stroke.time;
    }
    EXPECT_TRUE(eventually([&] {
        return std::abs(bottom.window->player().position() - std::max(0.0, at - 1.0)) < 0.02;
    }));
    // Without a bass it says so in place of figures.
    Session none = bottom.window.session();
    std::erase_if(none.rows, [](const Row& row) { return row.kind == RowKind::guest; });
    bottom.window->workspace().edit(std::move(none));
    EXPECT_TRUE(eventually(
        [&] { return !bottom.page.measuring() && bottom.page.found() == nullptr; }, 60.0));
    EXPECT_TRUE(bottom.page.text().contains("no bass")) << bottom.page.text().toStdString();
    EXPECT_FALSE(bottom.button("low-alone")->isEnabled());
    EXPECT_EQ(bottom.page.octaves().rowCount(), 0);
}

TEST(LowEndPage, TrimsEverythingToTheKicksTarget) {
    BottomPage bottom;
    ASSERT_TRUE(bottom.measured());
    const double kick = bottom.window.value("kick-in", "seat", "level");
    bottom.window->workspace().setValue("kick-in", "seat", "level", kick + 9.0);
    BottomPage::press(bottom.button("low-headroom"));
    auto* dialog = bottom.window->findChild<app::RowReportDialog*>("headroom");
    ASSERT_NE(dialog, nullptr);
    ASSERT_TRUE(eventually([&] { return dialog->table().rowCount() == 5; }, 120.0))
        << dialog->text().toStdString();
    auto* trim = dialog->findChild<QPushButton*>("headroom-trim");
    ASSERT_NE(trim, nullptr) << dialog->text().toStdString();
    const double snare = bottom.window.value("snare-top", "seat", "level");
    QTest::keyClick(trim, Qt::Key_Return);
    ASSERT_TRUE(
        eventually([&] { return bottom.window.value("snare-top", "seat", "level") != snare; }));
    const double by = bottom.window.value("snare-top", "seat", "level") - snare;
    EXPECT_NEAR(bottom.window.value("kick-in", "seat", "level"), kick + 9.0 + by, 1e-9);
    EXPECT_TRUE(eventually(
        [&] {
            return !dialog->measuring() &&
                   dialog->findChild<QPushButton*>("headroom-trim") == nullptr;
        },
        120.0))
        << dialog->text().toStdString();
    bottom.window->workspace().undo();
    EXPECT_EQ(bottom.window.value("snare-top", "seat", "level"), snare);
}

}  // namespace
}  // namespace ember
