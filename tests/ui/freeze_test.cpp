// Rows as audio in the window: frozen and live again, printed beside the mix, through undo, saving,
// opening again and rendering.
#include "app/bench/frozen_note.h"
#include "app/board/row_menu.h"
#include "app/board/row_report_dialog.h"
#include "app/window/freeze_dialog.h"
#include "core/engine/print_row.h"
#include "core/engine/render.h"
#include "core/session/file.h"
#include "core/session/layers.h"
#include "core/session/printed.h"
#include "core/session/recipe.h"
#include "core/session/routing.h"
#include "tests/ui/ui_support.h"

#include <QInputDialog>
#include <QMenu>
#include <QPushButton>

#include <filesystem>

namespace ember {
namespace {

namespace fs = std::filesystem;
using app::FreezeDialog;
using app::FrozenNote;
using test::eventually;
using test::Window;

QAction* actionOf(const QMenu& menu, const QString& begins) {
    for (QAction* action : menu.actions()) {
        if (action->text().startsWith(begins)) return action;
    }
    return nullptr;
}

// Chooses an entry of a row's menu.
void choose(const Window& window, const std::string& row, const QString& begins) {
    QMenu menu;
    app::fillRowMenu(menu, window->workspace(), window->player(), window->printer(), row);
    QAction* action = actionOf(menu, begins);
    ASSERT_NE(action, nullptr) << begins.toStdString();
    action->trigger();
}

bool frozen(const Window& window, const std::string& row) {
    // Printing steps back behind everything else that runs.
    return eventually(
        [&] {
            return !window->printer().busy() && window->player().ready() &&
                   window->player().gives(row) == Plan::Gives::print;
        },
        120.0);
}

AudioBuffer firstSeconds(const Session& session) {
    RenderOptions options;
    options.to = 3.0;
    return renderMix(session, test::sharedStore(), options);
}

TEST(Freeze, PlaysAPrintUntilTheRowIsAnotherAndComesBackOpened) {
    const Window window;
    ASSERT_TRUE(window.settle());
    const AudioBuffer live = firstSeconds(window.session());
    choose(window, "drum-bus", "Freeze");
    ASSERT_TRUE(frozen(window, "drum-bus"));
    EXPECT_TRUE(window->lastMessage().contains("Drum bus frozen"))
        << window->lastMessage().toStdString();
    EXPECT_EQ(window->player().gives("hat"), Plan::Gives::nothing) << "heard in nothing else";
    EXPECT_EQ(firstSeconds(window.session()), live);
    window->showBoard();
    window->board().select({"drum-bus", std::nullopt});
    EXPECT_TRUE(window->board().accessibleDescription().contains("frozen"))
        << window->board().accessibleDescription().toStdString();
    window->showFlow();
    const app::FlowMatrix& flow = window->flow().matrix();
    const auto& rows = flow.table().rows;
    const auto head =
        static_cast<int>(std::find(rows.begin(), rows.end(), "drum-bus") - rows.begin());
    EXPECT_TRUE(flow.verticalHeaderItem(head)->text().endsWith(", frozen"));

    // An edit of a member lets it play live; taken back, the print serves again.
    window->workspace().setValue("hat", "seat", "level", -9.0);
    EXPECT_TRUE(eventually([&] {
        return window->player().ready() && window->player().gives("drum-bus") == Plan::Gives::live;
    }));
    window->workspace().undo();
    ASSERT_TRUE(frozen(window, "drum-bus"));

    // Saved, the print lies beside the session, and is played after opening.
    const QString path = QString::fromStdString((window.folder() / "frozen.cask").string());
    ASSERT_TRUE(window->saveTo(path));
    const Session saved = loadDocument(path.toStdString()).session();
    EXPECT_EQ(fs::path(findRow(saved, "drum-bus")->frozen->audio[0].file).parent_path(),
              "frozen.prints");
    ASSERT_TRUE(window->openSession(path));
    ASSERT_TRUE(window.settle());
    ASSERT_TRUE(frozen(window, "drum-bus"));
    EXPECT_EQ(firstSeconds(window.session()), live);

    // What nothing needs any more is deleted, and nothing else.
    FreezeDialog dialog(window->workspace(), window->player(), window->printer());
    const auto prints = printFolder(window.folder() / "frozen.cask");
    test::writeMono(prints / "hat 0123456789ab.wav", std::vector<float>(100, 0.1F));
    emit dialog.findChild<QPushButton*>("freeze-tidy")->clicked();
    EXPECT_TRUE(
        dialog.findChild<QLabel*>("freeze-sentence")->text().startsWith("Old prints deleted: 1,"));
    EXPECT_EQ(std::distance(fs::directory_iterator(prints), {}), 1);
    choose(window, "drum-bus", "Play live");
    EXPECT_FALSE(findRow(window.session(), "drum-bus")->frozen);
    EXPECT_TRUE(eventually([&] {
        return window->player().ready() && window->player().gives("hat") == Plan::Gives::live;
    }));
    window->workspace().undo();
    EXPECT_TRUE(findRow(window.session(), "drum-bus")->frozen);
}

TEST(Freeze, ComparesAFrozenRowWithItsChainPassedBy) {
    const Window window;
    ASSERT_TRUE(window.settle());
    window->workspace().setValue("snare-top", "eq", "b3.gain", 6.0);
    choose(window, "snare-top", "Freeze");
    ASSERT_TRUE(frozen(window, "snare-top"));
    window->player().compare(true, app::CompareScope::row, "snare-top", {});
    EXPECT_TRUE(eventually([&] {
        return window->player().compareText().contains("level-matched");
    })) << window->player().compareText().toStdString();
    EXPECT_FALSE(window->player().compareText().contains("(0.0 dB)") ||
                 window->player().compareText().contains("(−0.0 dB)"))
        << "what is passed by runs: " << window->player().compareText().toStdString();
}

TEST(Freeze, ARowOfLayersIsNotStruckByHandMeanwhile) {
    const Window window;
    ASSERT_TRUE(window.settle());
    test::writeMono(window.folder() / "hit.wav", test::noise(0.3, 4800));
    const NewRow made = withLayerRow(window.session(), "snare",
                                     {{(window.folder() / "hit.wav").string(), ""}}, "Hit");
    window->workspace().edit(made.session);
    ASSERT_TRUE(eventually([&] { return window->player().ready(); }));
    window->player().strike(made.row, 0.9);
    EXPECT_FALSE(window->lastMessage().contains("by hand"));
    choose(window, made.row, "Freeze");
    ASSERT_TRUE(frozen(window, made.row));
    window->player().strike(made.row, 0.9);
    EXPECT_TRUE(window->lastMessage().startsWith("Hit frozen: play it live"))
        << window->lastMessage().toStdString();
}

TEST(FreezeDialog, ListsWhatRowsTakeAndFreezesWhatIsChosenByKeys) {
    const Window window;
    ASSERT_TRUE(window.settle());
    FreezeDialog dialog(window->workspace(), window->player(), window->printer());
    dialog.show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(&dialog));
    ASSERT_TRUE(eventually([&] { return dialog.measured(); }));
    auto& table = dialog.table();
    const auto line = [&](const QString& name) {
        for (int i = 0; i < table.rowCount(); ++i) {
            if (table.item(i, 0)->text() == name) return i;
        }
        return -1;
    };
    const int hat = line("Hat");
    ASSERT_GE(hat, 0);
    EXPECT_TRUE(table.item(hat, 1)->text().endsWith("%"));
    EXPECT_EQ(table.item(hat, 2)->text(), "live");
    EXPECT_EQ(line("Main"), -1);
    table.setFocus();
    // Keys that were held in the last event still count when a cell is made the current one: with
    // Ctrl it would be chosen beside the first.
    table.clearSelection();
    table.setCurrentCell(hat, 0);
    QTest::keyClick(&table, Qt::Key_Down, Qt::ShiftModifier);
    QStringList chosen;
    for (const QModelIndex& index : table.selectionModel()->selectedRows())
        chosen << table.item(index.row(), 0)->text();
    ASSERT_EQ(chosen.size(), 2) << chosen.join(", ").toStdString() << ", hat at " << hat;
    auto* go = dialog.findChild<QPushButton*>("freeze-go");
    auto* cancel = dialog.findChild<QPushButton*>("freeze-cancel");
    EXPECT_FALSE(cancel->isEnabled());
    QTest::keyClick(go, Qt::Key_Space);
    EXPECT_TRUE(cancel->isEnabled());
    EXPECT_FALSE(go->isEnabled());
    ASSERT_TRUE(frozen(window, "hat"));
    EXPECT_TRUE(eventually([&] { return table.item(hat, 2)->text() == "frozen"; }));
    EXPECT_EQ(table.item(hat + 1, 2)->text(), "frozen") << "both in one edit";
    window->workspace().undo();
    EXPECT_FALSE(findRow(window.session(), "hat")->frozen);
    EXPECT_TRUE(eventually([&] { return table.item(hat, 2)->text() == "live"; }));

    // Cancelled at once, nothing is frozen and nothing is left behind.
    const std::size_t log = window->workspace().document().log().size();
    emit go->clicked();
    emit cancel->clicked();
    ASSERT_TRUE(eventually([&] { return !window->printer().busy() && go->isEnabled(); }));
    EXPECT_EQ(dialog.findChild<QLabel*>("freeze-sentence")->text(), "Cancelled.");
    EXPECT_EQ(window->workspace().document().log().size(), log);
}

// Says of itself that the machine hardly keeps up.
class BusyDevice : public AudioDevice {
  public:
    [[nodiscard]] DeviceState state() const override {
        DeviceState s;
        s.running = true;
        s.sampleRate = 48000;
        s.block = 256;
        s.load = 0.9;
        return s;
    }
};

TEST(Freeze, IsOfferedOnceTheMachineIsNearItsLimit) {
    const test::TempFolder folder;
    app::WindowOptions options;
    options.recoveryFolder = QString::fromStdString((folder / "recovery").string());
    options.remember = options.ask = false;
    options.openDevice = [](const DeviceRequest&, const AudioCallback&, std::string&) {
        return std::make_unique<BusyDevice>();
    };
    app::MainWindow window(options);
    window.show();
    window.workspace().begin(test::shortSession());
    window.showBoard();
    ASSERT_TRUE(eventually([&] { return window.player().ready(); }));
    EXPECT_FALSE(window.lastMessage().contains("near its limit"));
    window.player().play();
    EXPECT_TRUE(eventually([&] { return window.lastMessage().contains("near its limit"); }))
        << window.lastMessage().toStdString();
}

TEST(FrozenNote, SaysOverTheChainThatItDoesNotSound) {
    const Window window;
    ASSERT_TRUE(window.settle());
    window.bench("snare-top", Column::gate);
    auto* note = window->bench().findChild<FrozenNote*>("frozen-note");
    ASSERT_NE(note, nullptr);
    EXPECT_FALSE(note->isVisibleTo(&window->bench()));
    choose(window, "snare-top", "Freeze");
    ASSERT_TRUE(frozen(window, "snare-top"));
    EXPECT_TRUE(note->isVisibleTo(&window->bench()));
    EXPECT_TRUE(note->text().startsWith("Frozen: it plays what was printed on"));
    auto* anew = note->findChild<QPushButton*>("frozen-anew");
    EXPECT_FALSE(anew->isVisibleTo(note));
    window->workspace().setValue("snare-top", "gate", "threshold", -31.0);
    EXPECT_EQ(note->text(), "Changed since it was printed, so it plays live.");
    ASSERT_TRUE(anew->isVisibleTo(note));
    EXPECT_TRUE(anew->isEnabled());
    QTest::keyClick(anew, Qt::Key_Return);
    ASSERT_TRUE(frozen(window, "snare-top"))
        << window->lastMessage().toStdString() << note->text().toStdString();
    EXPECT_TRUE(note->text().startsWith("Frozen"));
    QTest::keyClick(note->findChild<QPushButton*>("frozen-live"), Qt::Key_Return);
    EXPECT_FALSE(note->isVisibleTo(&window->bench()));
    // A member of a frozen bus.
    choose(window, "drum-bus", "Freeze");
    ASSERT_TRUE(frozen(window, "drum-bus"));
    EXPECT_TRUE(note->text().startsWith("This row rests"));
}

TEST(PrintToARow, StandsBesideTheMixShiftedAndSaysWhenItIsOld) {
    const Window window;
    ASSERT_TRUE(window.settle());
    QTimer::singleShot(0, qApp, [] {
        for (QWidget* widget : QApplication::topLevelWidgets()) {
            if (auto* dialog = qobject_cast<QInputDialog*>(widget)) {
                dialog->setDoubleValue(-5.0);
                dialog->accept();
            }
        }
    });
    choose(window, "snare-top", "Print to a row");
    const auto made = [&]() -> const Row* {
        for (const Row& row : window.session().rows) {
            if (row.printed) return &row;
        }
        return nullptr;
    };
    ASSERT_TRUE(eventually([&] { return made() != nullptr; }));
    const std::string id = made()->id;
    EXPECT_EQ(made()->printed->semitones, -5.0);
    EXPECT_TRUE(findRow(window.session(), "snare-top")->mute);
    EXPECT_TRUE(eventually([&] { return window->player().ready(); }));
    EXPECT_FALSE(window->listener().listening()) << "it is no microphone more";
    QMenu fresh;
    app::fillRowMenu(fresh, window->workspace(), window->player(), window->printer(), id);
    EXPECT_FALSE(actionOf(fresh, "Print anew")->isEnabled());
    const std::string before = made()->sources[0].hash;
    window->workspace().setValue("snare-top", "align", "trim", 3.0);
    choose(window, id, "Print anew: it was changed");
    ASSERT_TRUE(eventually([&] { return made()->sources[0].hash != before; }));
    EXPECT_TRUE(printedIsNew(window.session(), *made()));
    window->workspace().undo();
    EXPECT_EQ(made()->sources[0].hash, before);
}

TEST(RowReport, TellsHowARowAddsUpAndTurnsItOver) {
    const Window window;
    ASSERT_TRUE(window.settle());
    app::showRowReport(window->workspace(), window->player(),
                       app::addsUpReport(window.session(), "snare-top"), &*window);
    auto* dialog = window->findChild<app::RowReportDialog*>("adds-up");
    ASSERT_NE(dialog, nullptr);
    ASSERT_TRUE(eventually([&] { return dialog->table().rowCount() == 10; }));
    EXPECT_TRUE(dialog->text().contains("against both powers")) << dialog->text().toStdString();
    const QString sum = dialog->table().item(3, 2)->text(),
                  other = dialog->table().item(3, 3)->text();
    QTest::keyClick(dialog->findChild<QPushButton*>("adds-up-turn"), Qt::Key_Return);
    EXPECT_TRUE(eventually([&] { return window.value("snare-top", "align", "polarity") == 1.0; }));
    ASSERT_TRUE(eventually([&] {
        return !dialog->measuring() && dialog->table().rowCount() == 10 &&
               dialog->table().item(3, 2)->text() == other;
    }));
    EXPECT_EQ(dialog->table().item(3, 3)->text(), sum);
}

TEST(RowReport, SaysWhoOfABusIsHeard) {
    const Window window;
    ASSERT_TRUE(window.settle());
    QMenu menu;
    app::fillRowMenu(menu, window->workspace(), window->player(), window->printer(), "main");
    ASSERT_NE(actionOf(menu, "Who is heard"), nullptr) << "of the main too";
    EXPECT_EQ(actionOf(menu, "Freeze"), nullptr);
    app::showRowReport(window->workspace(), window->player(),
                       app::busCheckReport(window.session(), "drum-bus"), &*window);
    auto* dialog = window->findChild<app::RowReportDialog*>("bus-check");
    ASSERT_NE(dialog, nullptr);
    ASSERT_TRUE(eventually([&] { return dialog->table().rowCount() > 2; }));
    EXPECT_EQ(dialog->table().item(dialog->table().rowCount() - 1, 0)->text(), "The sum");
    EXPECT_FALSE(dialog->text().isEmpty());
    // An edit is measured anew.
    const QString before = dialog->table().item(0, 2)->text();
    const std::string first = window.session().rows.front().parent;
    window->workspace().setValue(first, "seat", "level", -30.0);
    EXPECT_TRUE(eventually([&] {
        return !dialog->measuring() && dialog->table().rowCount() > 2 &&
               dialog->table().item(0, 2)->text() != before;
    }));
}

TEST(RowReport, SaysWhichDrumStandsInAnotherRoomAndBringsItBack) {
    const Window window;
    ASSERT_TRUE(window.listened());
    Session sent = withStageAdded(withBusAdded(window.session(), "Plate"), "plate", "reverb");
    sent = withStageOn(std::move(sent), "plate", "reverb", true);
    window->workspace().edit(withSend(std::move(sent), "snare-top", {"plate", false, true, -10.0}));
    QTest::keyClick(&*window, Qt::Key_F, Qt::ControlModifier);
    QTest::keyClick(window->findChild<QPushButton*>("flow-one-room"), Qt::Key_Return);
    auto* dialog = window->findChild<app::RowReportDialog*>("one-room");
    ASSERT_NE(dialog, nullptr);
    ASSERT_TRUE(
        eventually([&] { return !dialog->measuring() && dialog->table().rowCount() > 2; }, 120.0));
    EXPECT_TRUE(dialog->text().contains("another room")) << dialog->text().toStdString();
    auto* share = dialog->findChild<QPushButton*>("room-share");
    ASSERT_NE(share, nullptr);
    EXPECT_FALSE(share->toolTip().isEmpty());
    const auto sentThere = [&] {
        const auto& rows = window.session().rows;
        return std::count_if(rows.begin(), rows.end(),
                             [](const Row& row) { return findSend(row, "plate") != nullptr; });
    };
    QTest::keyClick(share, Qt::Key_Return);
    ASSERT_TRUE(eventually(
        [&] { return sentThere() > 1 && !dialog->measuring() && dialog->table().rowCount() > 2; },
        120.0))
        << dialog->text().toStdString();
    EXPECT_EQ(dialog->findChild<QPushButton*>("room-share"), nullptr)
        << dialog->text().toStdString();
    window->workspace().undo();
    EXPECT_EQ(sentThere(), 1);
}

TEST(RowReport, SaysHowTheDrumsComeThroughAndRaisesOneThatDoesNot) {
    const Window window;
    ASSERT_TRUE(window.listened());
    // The bass louder than anybody would have it.
    window->workspace().setValue("bass", "seat", "level", 12.0);
    QTest::keyClick(&*window, Qt::Key_F, Qt::ControlModifier);
    QTest::keyClick(window->findChild<QPushButton*>("flow-through"), Qt::Key_Return);
    auto* dialog = window->findChild<app::RowReportDialog*>("through");
    ASSERT_NE(dialog, nullptr);
    ASSERT_TRUE(
        eventually([&] { return !dialog->measuring() && dialog->table().rowCount() > 3; }, 120.0));
    EXPECT_FALSE(dialog->text().isEmpty());
    for (int row = 0; row < dialog->table().rowCount(); ++row)
        EXPECT_TRUE(dialog->table().item(row, 2)->text().endsWith("%"));
    const auto buttons = dialog->findChildren<QPushButton*>();
    const auto raise = std::find_if(buttons.begin(), buttons.end(), [](const QPushButton* button) {
        return button->objectName().startsWith("through-");
    });
    ASSERT_NE(raise, buttons.end()) << dialog->text().toStdString();
    const Session before = window.session();
    QTest::keyClick(*raise, Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return window.session() != before; }));
    window->workspace().undo();
    EXPECT_EQ(window.session(), before);
    ASSERT_TRUE(eventually([&] { return !dialog->measuring(); }, 120.0));
}

}  // namespace
}  // namespace ember
