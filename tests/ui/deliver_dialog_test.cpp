// What leaves the house, from the window: the files that are shown, refusals, cancelling.

#include "app/window/deliver_dialog.h"

#include "core/audio/file.h"
#include "tests/ui/ui_support.h"

#include <cstdlib>

namespace ember {
namespace {

namespace fs = std::filesystem;
using test::eventually;
using test::Window;

TEST(Delivering, WritesTheFileTheCommandLineWrites) {
    const Window window;
    const fs::path session = window.folder() / "s.json", theirs = window.folder() / "cli.wav";
    ASSERT_TRUE(window->saveTo(QString::fromStdString(session.string())));
    app::DeliverDialog dialog(window->workspace(), window->listener(), false, &*window);
    dialog.setFolder(QString::fromStdString((window.folder() / "out").string()));
    dialog.setNames("{what}");
    QSignalSpy finished(&dialog, &app::DeliverDialog::finishedWith);
    dialog.start();
    ASSERT_TRUE(eventually([&] { return finished.count() == 1; }, 90));
    EXPECT_TRUE(finished[0][1].toBool()) << finished[0][0].toString().toStdString();
    const std::string command = std::string("EMBER_CASK_CACHE='") +
                                test::sharedStore().folder().string() + "' '" + EMBER_CLI +
                                "' render '" + session.string() + "' --out '" + theirs.string() +
                                "' > /dev/null";
    ASSERT_EQ(std::system(command.c_str()), 0);
    EXPECT_EQ(test::readText(window.folder() / "out/mix.wav"), test::readText(theirs));
}

TEST(Delivering, WritesEverythingThatIsTickedUnderTheNamesItShows) {
    const Window window;
    ASSERT_TRUE(window.listened());
    app::DeliverDialog dialog(window->workspace(), window->listener(), false, &*window);
    const fs::path folder = window.folder() / "out";
    dialog.setFolder(QString::fromStdString(folder.string()));
    auto* example = dialog.findChild<QLabel*>("deliver-example");
    auto* go = dialog.findChild<QPushButton*>("deliver-go");
    dialog.setNames("{song} {waht}");
    EXPECT_FALSE(go->isEnabled());
    EXPECT_TRUE(example->text().contains("{waht}")) << example->text().toStdString();
    dialog.setNames("{song} {what}");
    EXPECT_TRUE(go->isEnabled());
    dialog.setMix(1, 2, 0, 1);  // FLAC, 16 bit, 44.1 kHz
    for (const char* name : {"deliver-groups", "deliver-strokes", "deliver-one-shots"})
        QTest::keyClick(dialog.findChild<QCheckBox*>(name), Qt::Key_Return);
    EXPECT_TRUE(dialog.order().groups && dialog.order().strokes && dialog.order().oneShots);
    auto* returns = dialog.findChild<QComboBox*>("deliver-returns");
    ASSERT_TRUE(returns->isEnabled());
    QTest::keyClick(returns, Qt::Key_Down);
    EXPECT_EQ(dialog.order().returns, Returns::apart);
    const auto files =
        filesOf(window->listener().withStrokesHeard(window.session()), dialog.order());
    EXPECT_TRUE(example->text().contains(QString("and %1 more").arg(files.size() - 1)))
        << example->text().toStdString();
    QSignalSpy finished(&dialog, &app::DeliverDialog::finishedWith);
    dialog.show();
    QTest::keyClick(go, Qt::Key_Return);
    ASSERT_TRUE(eventually([&] { return finished.count() == 1; }, 120));
    EXPECT_TRUE(finished[0][1].toBool()) << finished[0][0].toString().toStdString();
    for (const fs::path& file : files) EXPECT_TRUE(fs::exists(file)) << file;
    EXPECT_EQ(AudioReader(files[1]).info().sampleRate, 44100);
}

TEST(Delivering, BringsTheRecallSheetAlongAndRemembersWhatWasChosen) {
    const Window window;
    ASSERT_TRUE(window.listened());
    const QString folder = QString::fromStdString((window.folder() / "out").string());
    {
        app::DeliverDialog dialog(window->workspace(), window->listener(), true, &*window);
        dialog.setFolder(folder);
        dialog.setMix(0, 0, 1, 0);  // no mix at all
        auto* go = dialog.findChild<QPushButton*>("deliver-go");
        EXPECT_FALSE(go->isEnabled()) << "nothing is ordered";
        for (const char* name : {"deliver-sheet-pdf", "deliver-sheet-html", "deliver-sheet-csv"})
            QTest::keyClick(dialog.findChild<QCheckBox*>(name), Qt::Key_Return);
        EXPECT_TRUE(go->isEnabled());
        EXPECT_TRUE(dialog.findChild<QLabel*>("deliver-example")->text().contains("recall sheet"));
        QSignalSpy finished(&dialog, &app::DeliverDialog::finishedWith);
        dialog.start();
        ASSERT_TRUE(eventually([&] { return finished.count() == 1; }, 120));
        EXPECT_TRUE(finished[0][1].toBool()) << finished[0][0].toString().toStdString();
        EXPECT_TRUE(finished[0][0].toString().contains("3 files"))
            << finished[0][0].toString().toStdString();
    }
    int sheets = 0;
    for (const auto& entry : fs::directory_iterator(window.folder() / "out")) {
        EXPECT_GT(fs::file_size(entry.path()), 2000U) << entry.path();
        ++sheets;
    }
    EXPECT_EQ(sheets, 3);
    const app::DeliverDialog again(window->workspace(), window->listener(), true, &*window);
    EXPECT_TRUE(again.order().mixes.empty());
    EXPECT_EQ(again.order().folder, folder.toStdString());
    EXPECT_TRUE(again.findChild<QCheckBox*>("deliver-sheet-pdf")->isChecked());
    EXPECT_FALSE(again.findChild<QCheckBox*>("deliver-sheet-md")->isChecked());
    const app::DeliverDialog fresh(window->workspace(), window->listener(), false, &*window);
    EXPECT_EQ(fresh.order().mixes.size(), 1U);
}

TEST(Delivering, SaysWhyItCannotAndCanBeCancelled) {
    const Window window;
    app::DeliverDialog dialog(window->workspace(), window->listener(), false, &*window);
    QSignalSpy finished(&dialog, &app::DeliverDialog::finishedWith);
    dialog.setFolder("/proc/nowhere");
    dialog.start();
    ASSERT_TRUE(eventually([&] { return finished.count() == 1; }));
    EXPECT_FALSE(finished[0][1].toBool());
    EXPECT_TRUE(finished[0][0].toString().contains("/proc/nowhere"));
    const fs::path target = window.folder() / "cancelled";
    dialog.setFolder(QString::fromStdString(target.string()));
    dialog.show();
    dialog.start();
    dialog.close();
    ASSERT_TRUE(eventually([&] { return finished.count() == 2; }, 60));
    EXPECT_TRUE(dialog.isVisible()) << "the first Cancel stops the work, not the dialog";
    EXPECT_FALSE(finished[1][1].toBool());
    EXPECT_TRUE(fs::is_empty(target));
}

}  // namespace
}  // namespace ember
