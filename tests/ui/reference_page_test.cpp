// A record beside the mix: read where it is shown, heard, its bare bars brought to where one is,
// what would bring the mix nearer made and taken back.

#include "app/compare/draft_dialog.h"
#include "tests/ui/ui_support.h"

#include <QCheckBox>
#include <QComboBox>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>

namespace ember {
namespace {

using test::eventually;
using test::Window;

struct RecordPage {
    Window window;
    app::ReferencePage& page;

    RecordPage() : page(window->reference()) {
        window->workspace().begin(test::withRecord(window.session(), 2.0));
        EXPECT_TRUE(window.settle());
        QTest::keyClick(&*window, Qt::Key_D, Qt::ControlModifier | Qt::AltModifier);
        EXPECT_TRUE(page.isVisible());
    }
    [[nodiscard]] bool ready() const {
        return eventually([&] { return page.ready(); }, 120.0);
    }
    [[nodiscard]] QPushButton* button(const char* name) const {
        return page.findChild<QPushButton*>(name);
    }
    static void press(QPushButton* one) {
        one->setFocus();
        QTest::keyClick(one, Qt::Key_Return);
    }
};

TEST(ReferencePage, SaysWhatIsMissingWhereThereIsNoRecord) {
    const Window window;
    Session without = window.session();
    std::erase_if(without.rows, [](const Row& r) { return r.kind == RowKind::reference; });
    window->workspace().begin(without);
    ASSERT_TRUE(window.settle());
    // From the page beside it, and back.
    QTest::keyClick(&*window, Qt::Key_D, Qt::ControlModifier);
    window->comparison().findChild<QPushButton*>("compare-record")->click();
    app::ReferencePage& page = window->reference();
    ASSERT_TRUE(page.isVisible());
    EXPECT_TRUE(page.text().contains("There is no record")) << page.text().toStdString();
    EXPECT_TRUE(page.findChild<QPushButton*>("reference-add")->isVisible());
    EXPECT_FALSE(page.findChild<QPushButton*>("reference-hear")->isEnabled());
    EXPECT_EQ(page.figures().rowCount(), 0);
    page.findChild<QPushButton*>("reference-mixes")->click();
    EXPECT_TRUE(window->comparison().isVisible());
}

TEST(ReferencePage, ReadsARecordHearsItAndLooksForWhatMoves) {
    const RecordPage r;
    ASSERT_TRUE(r.ready()) << r.page.text().toStdString();
    EXPECT_TRUE(r.page.text().contains("Heard under everything else"))
        << r.page.text().toStdString();
    EXPECT_EQ(r.page.reading()->begins, 2.0);
    EXPECT_EQ(r.page.figures().rowCount(), 9);
    EXPECT_TRUE(r.page.figures()
                    .item(0, 1)
                    ->data(Qt::AccessibleTextRole)
                    .toString()
                    .startsWith("The mix: "));
    r.button("reference-hear")->click();
    EXPECT_EQ(r.window->player().reference(), "record");
    r.button("reference-hear")->click();
    EXPECT_TRUE(r.window->player().reference().empty());
    // Typed the wrong way round it is still a band.
    r.page.findChild<QSpinBox*>("reference-low")->setValue(4000);
    r.page.findChild<QSpinBox*>("reference-high")->setValue(500);
    RecordPage::press(r.button("reference-moving"));
    ASSERT_TRUE(eventually([&] { return r.page.moving().startsWith("500 Hz to 4.0 kHz: "); }, 60.0))
        << r.page.moving().toStdString();
    r.page.findChild<QSpinBox*>("reference-low")->setValue(4000);
    RecordPage::press(r.button("reference-moving"));
    EXPECT_TRUE(r.page.moving().contains("two ends")) << r.page.moving().toStdString();
}

TEST(ReferencePage, BringsBareBarsToTheLoopAndMakesWhatIsProposed) {
    const RecordPage r;
    ASSERT_TRUE(r.ready()) << r.page.text().toStdString();
    const Session before = r.window.session();
    ASSERT_FALSE(r.page.reading()->bare.empty()) << "overheads hear nothing but drums";
    const BareBars longest = r.page.reading()->bare.front();
    r.window->player().seek(5.0);
    RecordPage::press(r.button("reference-bare-0"));
    const Session& now = r.window.session();
    EXPECT_TRUE(now.loop.on);
    EXPECT_NEAR(now.loop.from, secondsOfBar(now.time, barAt(now.time, 5.0)), 1e-9);
    const double moved = findRow(now, "record")->sources.front().offset - 2.0;
    EXPECT_NEAR(longest.from + moved, now.loop.from, 1e-6);
    ASSERT_TRUE(r.ready());
    EXPECT_NEAR(r.page.reading()->bare.front().from, now.loop.from, 1e-6) << "read once, moved";
    r.window->workspace().undo();
    EXPECT_EQ(r.window.session(), before);
    ASSERT_TRUE(r.ready());
    // A record that lacks what close microphones give is met by something.
    ASSERT_FALSE(r.page.found()->moves.empty()) << r.page.text().toStdString();
    const ReferenceMove move = r.page.found()->moves.front();
    QPushButton* make = r.button("reference-move-0");
    ASSERT_NE(make, nullptr);
    EXPECT_TRUE(make->accessibleName().startsWith("Do it: "));
    RecordPage::press(make);
    EXPECT_EQ(r.window.session().rows, withReferenceMove(before, move).rows);
    const auto& log = r.window->workspace().document().log();
    EXPECT_TRUE(std::any_of(log.begin(), log.end(), [](const LogEntry& entry) {
        return entry.reason.find(" then.") != std::string::npos;
    }));
    r.window->workspace().undo();
    EXPECT_EQ(r.window.session(), before);
}

TEST(ReferencePage, TellsItsPartsAndLoopsOne) {
    const RecordPage r;
    ASSERT_TRUE(r.ready()) << r.page.text().toStdString();
    const auto& sections = r.page.reading()->sections;
    ASSERT_FALSE(sections.empty());
    EXPECT_EQ(sections.front().name, "A");
    EXPECT_FALSE(sections.front().drums.empty()) << "something is struck in most of its bars";
    QPushButton* loop = r.button("reference-part-0");
    ASSERT_NE(loop, nullptr);
    EXPECT_TRUE(loop->accessibleName().startsWith("Loop it here: A, bars 1 to "))
        << loop->accessibleName().toStdString();
    const double from = sections.front().from;
    const int bars = sections.front().bars;
    r.window->player().seek(3.0);
    RecordPage::press(loop);
    const Session& now = r.window.session();
    EXPECT_TRUE(now.loop.on);
    EXPECT_NEAR(now.loop.to, barsLater(now.time, now.loop.from, bars), 1e-9);
    EXPECT_NEAR(findRow(now, "record")->sources.front().offset - 2.0, now.loop.from - from, 1e-6);
    r.window->workspace().undo();
    EXPECT_FALSE(r.window.session().loop.on);
}

TEST(ReferencePage, FindsSoundsLikeItsSnareAndPutsOneUnderTheSnare) {
    const RecordPage r;
    ASSERT_TRUE(r.ready()) << r.page.text().toStdString();
    app::LayersPage& layers = r.window->layers();
    app::LibraryDialog& library = layers.openLibrary(r.window.folder() / "sounds.sqlite");
    const auto sounds = r.window.folder() / "sounds";
    std::filesystem::create_directories(sounds);
    test::writeMono(sounds / "snare one.wav", test::noise(0.3, 9000));
    library.scan({sounds});
    ASSERT_TRUE(eventually([&] { return !library.scanning(); }, 30.0));
    RecordPage::press(r.button("reference-like-snare"));
    ASSERT_TRUE(layers.isVisible());
    ASSERT_TRUE(eventually(
        [&] { return !library.searching() && library.state().startsWith("Most like"); }, 30.0))
        << library.state().toStdString();
    EXPECT_TRUE(library.state().contains("Old Mix snare")) << library.state().toStdString();
    ASSERT_EQ(library.table().rowCount(), 1);
    library.table().setCurrentCell(0, 0);
    QTest::keyClick(&library.table(), Qt::Key_Return);
    const auto& rows = r.window.session().rows;
    EXPECT_TRUE(std::any_of(rows.begin(), rows.end(), [](const Row& row) {
        return !row.layers.empty() && row.drum == "snare";
    }));
    library.close();
}

TEST(ReferencePage, MakesADraftOfItByOneEdit) {
    const RecordPage r;
    ASSERT_TRUE(r.ready()) << r.page.text().toStdString();
    const Session before = r.window.session();
    const auto sound = r.window.folder() / "thump.wav";
    test::writeMono(sound, test::sine(60.0, 0.5, 6000, 48000.0));
    RecordPage::press(r.button("reference-draft"));
    auto* dialog = r.window->findChild<app::DraftDialog*>();
    ASSERT_NE(dialog, nullptr);
    ASSERT_TRUE(eventually([&] { return !dialog->looking(); }, 60.0));
    for (QCheckBox* box : dialog->findChildren<QCheckBox*>())
        box->setChecked(box->objectName() == "draft-wanted-kick");
    dialog->offer("kick", QString::fromStdString(sound.string()));
    auto* make = dialog->findChild<QPushButton*>("draft-make");
    ASSERT_TRUE(make->isEnabled()) << dialog->text().toStdString();
    auto* hear = dialog->findChild<QPushButton*>("draft-hear");
    hear->click();
    EXPECT_TRUE(hear->isChecked()) << dialog->text().toStdString();
    hear->click();
    EXPECT_EQ(r.window.session(), before) << "hearing is no edit";
    RecordPage::press(make);
    const Session& now = r.window.session();
    EXPECT_EQ(now.rows.size(), before.rows.size() + 1);
    EXPECT_GT(now.pattern.get().notes.size(), 8U);
    r.window->workspace().undo();
    EXPECT_EQ(r.window.session().rows, before.rows);
    EXPECT_EQ(r.window.session().drums, before.drums);
    EXPECT_EQ(r.window.session().pattern, before.pattern);
}

TEST(ReferencePage, AHeardRecordThatIsMovedIsHeardWhereItThenIs) {
    const RecordPage r;
    app::Player& player = r.window->player();
    player.play();
    player.hearReference("record");
    ASSERT_TRUE(eventually([&] { return player.frame().heard != 0; }));
    const auto heard = player.frame().heard;
    r.window->workspace().edit(withReferenceAt(r.window.session(), "record", 2.0, 1.0));
    ASSERT_TRUE(eventually(
        [&] { return player.frame().heard != 0 && player.frame().heard != heard; }, 30.0));
    EXPECT_EQ(player.reference(), "record");
    player.stop();
}

}  // namespace
}  // namespace ember
