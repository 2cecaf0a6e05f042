// The whole job by keyboard alone: every key goes to what has the focus, and nothing is clicked.

#include "app/window/deliver_dialog.h"
#include "core/audio/file.h"
#include "tests/ui/ui_support.h"

#include <QApplication>
#include <QListWidget>
#include <QPointer>
#include <QTableWidget>
#include <QTimer>

namespace ember {
namespace {

using test::eventually;
using test::Window;

// What a key goes to. A dialog that closes leaves nothing active for a moment.
QWidget* hasFocus() {
    const auto found = [] {
        QWidget* at = QApplication::focusWidget();
        QWidget* active = QApplication::activeWindow();
        // Without a window system a menu that has closed is still the active window.
        if (active != nullptr && !active->isVisible()) active = nullptr;
        return at != nullptr ? at : active;
    };
    const bool some = eventually([&] {
        if (found() != nullptr) return true;
        for (QWidget* top : QApplication::topLevelWidgets()) {
            if (top->objectName() == "main-window") top->activateWindow();
        }
        return false;
    });
    EXPECT_TRUE(some) << "nothing has the keyboard";
    return found();
}

void press(Qt::Key key, Qt::KeyboardModifiers with = Qt::NoModifier) {
    QTest::keyClick(hasFocus(), key, with);
}

void type(const QString& text) {
    press(Qt::Key_A, Qt::ControlModifier);
    QTest::keyClicks(hasFocus(), text);
}

// On with Tab until what is called so has the focus.
bool tabTo(const QString& name) {
    for (int presses = 0; presses < 120; ++presses) {
        if (hasFocus()->objectName() == name) return true;
        press(Qt::Key_Tab);
    }
    return false;
}

// Does `then` in the dialog that the next key opens.
void inDialog(const std::function<void(QWidget& dialog)>& then) {
    auto* timer = new QTimer(qApp);
    QObject::connect(timer, &QTimer::timeout, timer, [timer, then] {
        QWidget* dialog = QApplication::activeModalWidget();
        if (dialog == nullptr) return;
        QWidget* focus = QApplication::focusWidget();
        if (focus == nullptr || focus->window() != dialog) return dialog->activateWindow();
        timer->stop();
        timer->deleteLater();
        then(*dialog);
    });
    timer->start(10);
}

// Takes the first entry of the menu that the next key opens.
void takeFirstOfMenu() {
    auto* timer = new QTimer(qApp);
    QObject::connect(timer, &QTimer::timeout, timer, [timer] {
        QWidget* menu = QApplication::activePopupWidget();
        if (menu == nullptr) return;
        timer->stop();
        timer->deleteLater();
        QTest::keyClick(menu, Qt::Key_Down);
        QTest::keyClick(menu, Qt::Key_Return);
    });
    timer->start(10);
}

// Types a file or a folder into the dialog that asks for it. Enter may first close the list of what
// the name could become.
void chooseFile(const std::filesystem::path& path) {
    inDialog([path](QWidget& dialog) {
        const QPointer<QWidget> open(&dialog);
        type(QString::fromStdString(path.string()));
        for (int tries = 0; tries < 3 && open != nullptr && open->isVisible(); ++tries)
            press(Qt::Key_Return);
    });
}

TEST(KeyboardJob, GoesFromAFolderToADeliveredMixThatOpensAgain) {
    const Window window(false);
    window->activateWindow();
    ASSERT_TRUE(eventually([&] { return window->isActiveWindow(); }));
    // Recordings.
    app::IntakePage& intake = window->intake();
    ASSERT_TRUE(tabTo("intake-folder"));
    chooseFile(test::shortRecordingFolder());
    press(Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return !intake.busy() && intake.table()->rowCount() == 12; }, 90));
    ASSERT_TRUE(tabTo("intake-build"));
    press(Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return window->board().isVisible(); }, 90));
    ASSERT_TRUE(window.listened() && window.settle());
    inDialog([](QWidget&) {
        type("As it came");
        press(Qt::Key_Return);
    });
    press(Qt::Key_T, Qt::ControlModifier);
    ASSERT_EQ(window.session().snapshots.size(), 1U);
    EXPECT_EQ(window.session().snapshots[0].name, "As it came");
    // Everything that is proposed, as one edit.
    window->activateWindow();
    ASSERT_TRUE(eventually([&] { return window->isActiveWindow(); }));
    press(Qt::Key_P);
    auto* pass = window->findChild<QWidget*>("first-pass");
    ASSERT_NE(pass, nullptr);
    ASSERT_TRUE(eventually([&] { return pass->isActiveWindow(); }));
    ASSERT_TRUE(tabTo("first-pass-accept"));
    press(Qt::Key_Return);
    ASSERT_TRUE(
        eventually([&] { return findStage(*findRow(window.session(), "snare-top"), "gate")->on; }));
    if (pass->isVisible()) press(Qt::Key_Escape);
    window->activateWindow();
    ASSERT_TRUE(
        eventually([&] { return window->isActiveWindow() && window->player().ready(); }, 60));
    // A band of the snare's equaliser.
    press(Qt::Key_B, Qt::ControlModifier);
    press(Qt::Key_Home);
    const app::BoardPlace wanted{"snare-top", Column::repair};
    for (int presses = 0; presses < 40 && window->board().selected().row != wanted.row; ++presses)
        press(Qt::Key_Down);
    for (int presses = 0; presses < 12 && window->board().selected() != wanted; ++presses)
        press(Qt::Key_Right);
    ASSERT_EQ(window->board().selected(), wanted);
    press(Qt::Key_Return);
    const Stage before = *findStage(*findRow(window.session(), "snare-top"), "eq");
    ASSERT_TRUE(tabTo("eq-add"));
    takeFirstOfMenu();
    press(Qt::Key_Return);
    ASSERT_TRUE(tabTo("eq-plot"));
    for (int i = 0; i < 4; ++i) press(Qt::Key_Up);
    const Stage drawn = *findStage(*findRow(window.session(), "snare-top"), "eq");
    EXPECT_NE(drawn, before);
    // Against what it was.
    press(Qt::Key_D, Qt::ControlModifier);
    ASSERT_TRUE(window->comparison().isVisible());
    ASSERT_TRUE(eventually(
        [&] { return window->comparison().settled() && window->player().variantsReady(); }, 120));
    press(Qt::Key_1);
    EXPECT_TRUE(window->player().variant().has_value());
    // Looked over, and delivered with its recall sheet.
    press(Qt::Key_L, Qt::ControlModifier);
    app::DeliverPanel& panel = window->logbook().deliver();
    ASSERT_TRUE(tabTo("deliver-check"));
    press(Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return !panel.working() && panel.checks().count() > 8; }, 90));
    const auto out = window.folder() / "out";
    QString told;
    inDialog([&](QWidget& dialog) {
        QSignalSpy finished(&dialog, SIGNAL(finishedWith(QString, bool)));
        EXPECT_TRUE(tabTo("deliver-folder"));
        type(QString::fromStdString(out.string()));
        EXPECT_TRUE(tabTo("deliver-names"));
        type("{what}");
        EXPECT_TRUE(tabTo("deliver-sheet-pdf"));
        press(Qt::Key_Return);
        EXPECT_TRUE(tabTo("deliver-go"));
        press(Qt::Key_Return);
        EXPECT_TRUE(eventually([&] { return finished.count() == 1; }, 120));
        if (finished.count() == 1) told = finished[0][0].toString();
        press(Qt::Key_Escape);
    });
    press(Qt::Key_R, Qt::ControlModifier);
    EXPECT_TRUE(told.startsWith("Done")) << told.toStdString();
    EXPECT_GT(test::peakDb(readAudio(out / "mix.wav").channels[0]), -40.0);
    EXPECT_TRUE(test::readText(out / "recall sheet.pdf").starts_with("%PDF-"));
    // Kept, and opened again.
    const auto file = window.folder() / "song.cask";
    chooseFile(file);
    press(Qt::Key_S, Qt::ControlModifier);
    ASSERT_TRUE(std::filesystem::exists(file));
    EXPECT_FALSE(window->workspace().unsaved());
    const std::vector<Row> rows = window.session().rows;
    chooseFile(file);
    press(Qt::Key_O, Qt::ControlModifier);
    ASSERT_TRUE(eventually([&] { return window->board().isVisible(); }));
    EXPECT_EQ(window.session().rows, rows);
    EXPECT_TRUE(window.session().snapshots[0].clip);
}

}  // namespace
}  // namespace ember
