// Sends and buses in the window: from the row's menu and on the seat's bench, by mouse and by keys,
// through undo, saving, opening again and rendering.
#include "app/board/row_menu.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/session/file.h"
#include "core/session/routing.h"
#include "tests/ui/ui_support.h"

#include <QCheckBox>
#include <QComboBox>
#include <QInputDialog>
#include <QMenu>
#include <QPushButton>
#include <QTimer>

namespace ember {
namespace {

using test::eventually;
using test::Window;

QAction* actionOf(const QMenu& menu, const QString& text) {
    for (QAction* action : menu.actions()) {
        if (action->text() == text) return action;
    }
    return nullptr;
}

QMenu& sendMenu(QWidget& editor) {
    auto* add = editor.findChild<QPushButton*>("send-add");
    emit add->menu()->aboutToShow();
    return *add->menu();
}

// Types a name into the small window that is about to open.
void answerWith(const QString& name) {
    QTimer::singleShot(0, qApp, [name] {
        for (QWidget* widget : QApplication::topLevelWidgets()) {
            if (auto* dialog = qobject_cast<QInputDialog*>(widget)) {
                dialog->setTextValue(name);
                dialog->accept();
                return;
            }
        }
    });
}

void type(QLineEdit& field, const QString& text) {
    field.setFocus();
    field.selectAll();
    QTest::keyClicks(&field, text);
    QTest::keyClick(&field, Qt::Key_Return);
}

TEST(SendList, MakesAParallelAndSetsWhatIsSentThere) {
    const Window window;
    const Session before = window.session();
    auto& editor = window.bench("snare-top", Column::seat);
    answerWith("Crush");
    actionOf(sendMenu(editor), "New bus …")->trigger();
    ASSERT_NE(findRow(window.session(), "crush"), nullptr);
    const auto send = [&] { return *findSend(*findRow(window.session(), "snare-top"), "crush"); };
    EXPECT_EQ(send(), Send{"crush"});
    // The bench is built anew where rows come and go.
    auto& now = window.bench("snare-top", Column::seat);
    auto* level = now.findChild<QLineEdit*>("send-level-crush");
    auto* pan = now.findChild<QLineEdit*>("send-pan-crush");
    auto* from = now.findChild<QComboBox*>("send-from-crush");
    auto* on = now.findChild<QCheckBox*>("send-on-crush");
    ASSERT_TRUE(level != nullptr && pan != nullptr && from != nullptr && on != nullptr);
    EXPECT_EQ(level->accessibleName(), "Level of the send to Crush");
    type(*level, "-6");
    EXPECT_EQ(send().levelDb, -6.0);
    EXPECT_EQ(level->text(), QStringLiteral("−6.0 dB"));
    QTest::keyClick(level, Qt::Key_Up);
    EXPECT_GT(send().levelDb, -6.0);
    type(*level, "loud");
    EXPECT_TRUE(level->property("refused").toBool());
    QTest::keyClick(level, Qt::Key_Escape);
    type(*pan, "30");
    EXPECT_EQ(send().pan, 30.0);
    from->setCurrentIndex(1);
    emit from->activated(1);
    EXPECT_TRUE(send().before);
    on->click();
    EXPECT_FALSE(send().on);
    ASSERT_TRUE(window.settle());
    on->click();
    const Session after = window.session();
    while (!(window.session() == before)) window->workspace().undo();
    EXPECT_EQ(findRow(window.session(), "crush"), nullptr);
    for (int i = 0; i < 20; ++i) window->workspace().redo();
    EXPECT_EQ(window.session(), after);
}

TEST(SendList, IsSavedOpenedAndRenderedAsItIsHeard) {
    const Window window;
    window->workspace().attempt([&] {
        Session s = withBusAdded(window.session(), "Crush");
        s = withValue(std::move(s), "crush", "compressor", "threshold", -40.0);
        return withSend(std::move(s), "snare-top", {"crush", true, true, -3.0, 20.0});
    });
    const QString file = QString::fromStdString((window.folder() / "sent.json").string());
    window->workspace().save(file);
    const Session saved = window.session();
    window->workspace().open(file);
    EXPECT_EQ(window.session().rows, saved.rows);
    ASSERT_TRUE(window.settle());
    const auto traced = window->tracer().of("crush");
    ASSERT_TRUE(traced);
    EXPECT_GT(traced->output.samplePeak, -60.0) << "the parallel's pictures are of what is sent";
    RenderOptions options;
    options.to = 4.0;
    const AudioBuffer sent = renderMix(window.session(), window->workspace().store(), options),
                      plain = renderMix(withSendRemoved(window.session(), "snare-top", "crush"),
                                        window->workspace().store(), options);
    EXPECT_NE(sent.channels, plain.channels);
}

TEST(SendList, RefusesWhatWouldComeRoundAndTakesAway) {
    const Window window;
    auto& editor = window.bench("snare-bus", Column::seat);
    actionOf(sendMenu(editor), "Toms")->trigger();
    const Session sent = window.session();
    auto& toms = window.bench("tom-bus", Column::seat);
    actionOf(sendMenu(toms), "Snare")->trigger();
    EXPECT_EQ(window.session(), sent);
    EXPECT_TRUE(window->lastMessage().contains("comes round to itself"))
        << window->lastMessage().toStdString();
    auto& back = window.bench("snare-bus", Column::seat);
    back.findChild<QPushButton*>("send-remove-tom-bus")->click();
    EXPECT_TRUE(findRow(window.session(), "snare-bus")->sends.empty());
    EXPECT_TRUE(
        eventually([&] { return back.findChild<QPushButton*>("send-remove-tom-bus") == nullptr; }));
}

TEST(RowMenu, SendsFeedsAndRemovesBuses) {
    const Window window;
    QMenu menu;
    app::fillRowMenu(menu, window->workspace(), window->player(), window->printer(), "hat");
    QMenu* sends = actionOf(menu, "Sends to")->menu();
    ASSERT_NE(sends, nullptr);
    EXPECT_EQ(actionOf(*sends, "Cymbals"), nullptr) << "its own bus";
    actionOf(*sends, "Toms")->trigger();
    EXPECT_NE(findSend(*findRow(window.session(), "hat"), "tom-bus"), nullptr);
    answerWith("Metal");
    actionOf(*actionOf(menu, "Feeds")->menu(), "New bus …")->trigger();
    EXPECT_EQ(findRow(window.session(), "hat")->parent, "metal");
    QMenu bus;
    app::fillRowMenu(bus, window->workspace(), window->player(), window->printer(), "metal");
    actionOf(bus, "Remove this bus")->trigger();
    EXPECT_EQ(findRow(window.session(), "hat")->parent, "main");
    EXPECT_EQ(findRow(window.session(), "metal"), nullptr);
    EXPECT_TRUE(window.settle());
}

}  // namespace
}  // namespace ember
