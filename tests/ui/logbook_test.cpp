// The logbook's page: lines found, notes and reasons of one's own; and delivery: what is looked
// over and the recall sheet.

#include "app/widgets/wrapped_items.h"
#include "tests/ui/ui_support.h"

#include <QComboBox>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QTableWidget>

namespace ember {
namespace {

using test::eventually;
using test::Window;

QTableWidget& lines(const Window& window) {
    QTest::keyClick(&*window, Qt::Key_L, Qt::ControlModifier);
    EXPECT_TRUE(window->logbook().isVisible());
    return window->logbook().table();
}

TEST(Logbook, ListsWhatWasDoneAndFindsWords) {
    const Window window;
    window->workspace().setValue("hat", "gate", "threshold", -41.0);
    window->workspace().setMute("ride", true);
    QTableWidget& table = lines(window);
    ASSERT_GE(table.rowCount(), 2);
    EXPECT_TRUE(table.item(0, 1)->text().contains("Ride")) << "the latest first";
    auto* find = window->findChild<QLineEdit*>("logbook-find");
    EXPECT_TRUE(find->hasFocus());
    QTest::keyClicks(find, "gate THRESHOLD");
    ASSERT_EQ(table.rowCount(), 1);
    EXPECT_TRUE(table.item(0, 1)->text().contains("−41.0 dB"));
    window->workspace().setValue("hat", "gate", "threshold", -42.0);
    EXPECT_EQ(table.rowCount(), 2) << "it follows";
    find->clear();
    auto* row = window->findChild<QComboBox*>("logbook-row");
    row->setCurrentIndex(row->findData("ride"));
    emit row->activated(row->currentIndex());
    ASSERT_EQ(table.rowCount(), 1);
    EXPECT_TRUE(table.item(0, 1)->text().contains("Ride"));
}

TEST(Logbook, SaysOnceWhyAProposalWasTaken) {
    const Window window;
    ASSERT_TRUE(window.listened());
    const Proposal* gate = window->listener().proposalFor("snare-top", "gate");
    ASSERT_NE(gate, nullptr);
    const QString reason = QString::fromStdString(gate->reason);
    window->listener().accept(*gate);
    QTableWidget& table = lines(window);
    ASSERT_GE(table.rowCount(), 2) << "a gate moves more than one value";
    EXPECT_EQ(table.item(0, 2)->text(), reason);
    EXPECT_TRUE(table.item(1, 2)->text().isEmpty());
}

TEST(Logbook, TakesNotesAndReasonsAndKeepsThem) {
    const Window window;
    window->workspace().setValue("hat", "gate", "threshold", -41.0);
    QTableWidget& table = lines(window);
    auto* kind = window->findChild<QComboBox*>("logbook-kind");
    kind->setCurrentIndex(3);
    emit kind->activated(3);
    ASSERT_GE(table.rowCount(), 1) << "decisions without a reason";
    table.item(0, 2)->setText("it cut the open hats");
    ASSERT_TRUE(eventually([&] {
        return window->workspace().document().log().back().reason == "it cut the open hats";
    }));
    auto* about = window->findChild<QComboBox*>("logbook-about");
    about->setCurrentIndex(about->findData("snare-top"));
    auto* note = window->findChild<QLineEdit*>("logbook-note");
    QTest::keyClicks(note, "try it brighter");
    QTest::keyClick(note, Qt::Key_Return);
    EXPECT_TRUE(note->text().isEmpty());
    const std::size_t count = window->workspace().document().log().size();
    QTest::keyClick(note, Qt::Key_Return);
    EXPECT_EQ(window->workspace().document().log().size(), count);
    EXPECT_FALSE(window->lastMessage().isEmpty()) << "a note needs words";
    kind->setCurrentIndex(1);
    emit kind->activated(1);
    ASSERT_EQ(table.rowCount(), 1);
    EXPECT_EQ(table.item(0, 1)->text(), "Note: Snare Top · try it brighter");
    EXPECT_TRUE(window->workspace().unsaved());
    const QString file = QString::fromStdString((window.folder() / "noted.json").string());
    ASSERT_TRUE(window->saveTo(file));
    ASSERT_TRUE(window->openSession(file));
    EXPECT_TRUE(window->workspace().document().log().back().note);
    EXPECT_EQ(window->workspace().document().log().back().what.row, "snare-top");
}

TEST(Deliver, LooksEverythingOverAndLeadsToTheRow) {
    const Window window;
    window->workspace().setSolo("hat", true);
    lines(window);
    app::DeliverPanel& deliver = window->logbook().deliver();
    window->findChild<QPushButton*>("deliver-check")->click();
    EXPECT_TRUE(window->findChild<QPushButton*>("deliver-stop")->isVisible());
    ASSERT_TRUE(eventually([&] { return !deliver.working() && deliver.checks().count() > 0; }, 60));
    QListWidgetItem* solo = nullptr;
    for (int i = 0; i < deliver.checks().count(); ++i) {
        if (deliver.checks().item(i)->text().contains("Only Hat")) solo = deliver.checks().item(i);
    }
    ASSERT_NE(solo, nullptr);
    EXPECT_TRUE(solo->data(Qt::AccessibleTextRole).toString().startsWith("problem: Solo"));
    EXPECT_TRUE(deliver.text().contains("wrong"));
    window->workspace().setSolo("hat", false);
    EXPECT_TRUE(deliver.text().contains("changed since"));
    emit deliver.checks().itemActivated(solo);
    EXPECT_TRUE(window->board().isVisible());
    EXPECT_EQ(window->board().selected().row, "hat");
}

TEST(Deliver, WritesTheRecallSheetInEveryForm) {
    const Window window;
    ASSERT_TRUE(window.listened());
    lines(window);
    app::DeliverPanel& deliver = window->logbook().deliver();
    for (const auto& [name, begin] :
         std::initializer_list<std::pair<const char*, const char*>>{{"R.html", "<!DOCTYPE html>"},
                                                                    {"R.pdf", "%PDF-"},
                                                                    {"R.csv", "row,name,"},
                                                                    {"R.md", "# "}}) {
        const auto file = window.folder() / name;
        deliver.writeSheet(QString::fromStdString(file.string()));
        ASSERT_TRUE(eventually([&] { return !deliver.working(); }, 60));
        EXPECT_TRUE(deliver.text().startsWith("Written")) << deliver.text().toStdString();
        EXPECT_TRUE(test::readText(file).starts_with(begin)) << name;
    }
    deliver.writeSheet(QString::fromStdString((window.folder() / "R.doc").string()));
    ASSERT_TRUE(eventually([&] { return !deliver.working(); }, 60));
    EXPECT_TRUE(deliver.text().contains("should end in")) << deliver.text().toStdString();
    deliver.writeSheet("/nowhere/R.html");
    ASSERT_TRUE(eventually([&] { return !deliver.working(); }, 60));
    EXPECT_FALSE(deliver.text().startsWith("Written"));
}

TEST(Deliver, CollectsTheSessionIntoAFolderThatOpensElsewhere) {
    const Window window;
    window->showLogbook();
    app::DeliverPanel& deliver = window->logbook().deliver();
    const auto folder = window.folder() / "collected";
    deliver.collect(QString::fromStdString(folder.string()));
    ASSERT_TRUE(eventually([&] { return !deliver.working(); }, 60));
    EXPECT_TRUE(deliver.text().contains("in one folder")) << deliver.text().toStdString();
    const Session before = window.session();
    std::filesystem::path file;
    for (const auto& entry : std::filesystem::directory_iterator(folder)) {
        if (entry.path().extension() == ".cask") file = entry.path();
    }
    window->workspace().open(QString::fromStdString(file.string()));
    ASSERT_EQ(window.session().rows.size(), before.rows.size());
    const std::string played = window.session().rows.front().sources.front().file;
    EXPECT_TRUE(played.starts_with((folder / "audio").string())) << played;
    // Into what holds something already, nothing is written.
    deliver.collect(QString::fromStdString(folder.string()));
    ASSERT_TRUE(eventually([&] { return !deliver.working(); }, 60));
    EXPECT_TRUE(deliver.text().contains("new or empty")) << deliver.text().toStdString();
}

// Whatever the width, an item is as tall as its words are where it is drawn.
TEST(WrappedItems, AreShownWhole) {
    QListWidget list;
    list.setSpacing(2);
    app::wrapItems(&list);
    list.addItems({"●  Mono. In mono 0.2 dB are lost; correlation 0.89.", "Tail.",
                   "●  Loudness. −35.1 LUFS, short-term up to −32.2 LUFS."});
    list.show();
    for (int width = 200; width < 420; ++width) {
        list.resize(width, 400);
        ASSERT_TRUE(eventually([&] {
            return list.visualItemRect(list.item(0)).width() == list.viewport()->width() - 4;
        })) << width;
        int below = 0;
        for (int i = 0; i < list.count(); ++i) {
            const QRect at = list.visualItemRect(list.item(i));
            const QRect words = list.fontMetrics().boundingRect(
                at.adjusted(3, 0, -3, 1000), Qt::TextWordWrap | Qt::AlignLeft | Qt::AlignTop,
                list.item(i)->text());
            EXPECT_EQ(at.height(), words.height()) << width;
            EXPECT_GE(at.top(), below);
            below = at.bottom();
        }
    }
}

TEST(Deliver, PacksTheSessionIntoOneFileThatOpensLikeASession) {
    const Window window;
    window->workspace().setValue("snare-top", "eq", "b3.gain", 5.0);
    window->showLogbook();
    app::DeliverPanel& deliver = window->logbook().deliver();
    const auto file = window.folder() / "Night.caskpack";
    deliver.pack(QString::fromStdString(file.string()), PackAs::session);
    ASSERT_TRUE(eventually([&] { return !deliver.working(); }, 60));
    EXPECT_TRUE(deliver.text().contains("are in “Night.caskpack”")) << deliver.text().toStdString();
    window->workspace().setValue("snare-top", "eq", "b3.gain", 0.0);
    window->openPaths({QString::fromStdString(file.string())});
    ASSERT_TRUE(eventually(
        [&] {
            return window->workspace().path().startsWith(
                QString::fromStdString((window.folder() / "Night").string()));
        },
        60));
    EXPECT_EQ(window.value("snare-top", "eq", "b3.gain"), 5.0);
    const std::string played = window.session().rows.front().sources.front().file;
    EXPECT_TRUE(played.starts_with((window.folder() / "Night" / "audio").string())) << played;
    // What is no pack leaves the open session alone.
    test::writeText(window.folder() / "broken.caskpack", "no archive");
    window->openPaths({QString::fromStdString((window.folder() / "broken.caskpack").string())});
    ASSERT_TRUE(eventually(
        [&] { return window->findChild<QLabel*>("message")->text().contains("no whole pack"); },
        60));
    EXPECT_EQ(window.value("snare-top", "eq", "b3.gain"), 5.0);
}

}  // namespace
}  // namespace ember
