// The page of layers and the notes of a pattern: by mouse and by keyboard, through undo, save,
// reopen and render.

#include "core/session/layers.h"

#include "app/layers/print_dialog.h"
#include "core/engine/render.h"
#include "core/measure/strokes/played.h"
#include "core/session/file.h"
#include "demo/one_shots.h"
#include "tests/ui/ui_support.h"

#include <QLineEdit>
#include <QMenu>
#include <QProgressDialog>
#include <QPushButton>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using app::LayersPage;
using test::eventually;
using test::Window;

// A window with the small recorded session, the page open, and a row of layers under the snare.
struct Support {
    Window window;
    LayersPage& page;

    Support() : page(window->layers()) {
        EXPECT_TRUE(window.listened());
        test::writeMono(window.folder() / "crack.wav", burst(4000, 4));
        test::writeMono(window.folder() / "weight.wav", test::sine(190.0, 0.4, 6000, 48000.0));
        QTest::keyClick(&*window, Qt::Key_Y, Qt::ControlModifier);
        EXPECT_TRUE(page.isVisible());
        page.support("snare", {path("crack.wav"), path("weight.wav")});
    }
    static std::vector<float> burst(std::size_t frames, std::uint64_t seed) {
        std::vector<float> out = test::noise(0.4, frames, seed);
        for (std::size_t i = 0; i < frames; ++i)
            out[i] *= std::exp(-static_cast<float>(i) / 700.0F);
        return out;
    }
    [[nodiscard]] QString path(const char* name) const {
        return QString::fromStdString((window.folder() / name).string());
    }
    [[nodiscard]] const Row& row() const { return *findRow(window.session(), "snare-layers"); }
    [[nodiscard]] double value(const std::string& layer, Layer::Index index) const {
        return findLayer(row(), layer)->at(index);
    }
    void key(Qt::Key key) { QTest::keyClick(&page.list(), key); }
};

TEST(Layers, SupportASnareThroughUndoSaveReopenAndRender) {
    Support s;
    ASSERT_NE(findRow(s.window.session(), "snare-layers"), nullptr);
    EXPECT_EQ(s.page.row(), "snare-layers");
    EXPECT_EQ(s.row().drum, "snare");
    // What was heard is what starts them, and nothing is listened to anew.
    EXPECT_FALSE(s.window.session().strokes.get().empty());
    EXPECT_FALSE(s.window->listener().listening());
    EXPECT_TRUE(eventually([&] { return s.page.settled(); }));
    EXPECT_EQ(s.page.list().rowCount(), 2);
    EXPECT_GE(s.page.plot().waves().graphCount(), 3);
    const Session with = s.window.session();
    EXPECT_TRUE(s.window.settle());
    const auto file = s.window.folder() / "supported.json";
    ASSERT_TRUE(s.window->saveTo(QString::fromStdString(file.string())));
    s.window->workspace().undo();
    EXPECT_EQ(findRow(s.window.session(), "snare-layers"), nullptr);
    s.window->workspace().redo();
    EXPECT_EQ(s.window.session(), with);
    ASSERT_TRUE(s.window->openSession(QString::fromStdString(file.string())));
    EXPECT_EQ(s.window.session().rows, with.rows);
    RenderOptions options;
    const AudioBuffer mix = renderMix(with, test::sharedStore(), options),
                      without = renderMix(withRowRemoved(with, "snare-layers"), test::sharedStore(),
                                          options);
    EXPECT_NE(mix.channels, without.channels);
}

TEST(Layers, AreWorkedByKeyboardAlone) {
    Support s;
    s.page.choose("crack");
    EXPECT_EQ(s.page.chosen(), "crack");
    s.key(Qt::Key_P);
    EXPECT_EQ(s.value("crack", Layer::polarity), 1.0);
    s.key(Qt::Key_O);
    EXPECT_EQ(s.value("crack", Layer::on), 0.0);
    EXPECT_TRUE(s.page.list().item(0, 0)->text().contains("off"));
    s.key(Qt::Key_O);
    s.key(Qt::Key_D);
    EXPECT_EQ(s.row().layers.size(), 3U);
    s.key(Qt::Key_Down);
    EXPECT_EQ(s.page.chosen(), "crack-2");
    s.key(Qt::Key_Delete);
    EXPECT_EQ(s.row().layers.size(), 2U);
    // The last one stays, with a sentence.
    s.page.choose("weight");
    s.key(Qt::Key_Delete);
    QSignalSpy refused(&s.window->workspace(), &app::Workspace::refused);
    s.key(Qt::Key_Delete);
    EXPECT_EQ(s.row().layers.size(), 1U);
    EXPECT_EQ(refused.count(), 1);
    // Every cell has a text for those who do not see it.
    for (int c = 0; c < s.page.list().columnCount(); ++c)
        EXPECT_FALSE(s.page.list().item(0, c)->data(Qt::AccessibleTextRole).toString().isEmpty());
}

TEST(Layers, FieldsSetWhatTheySayAndRefuseNonsense) {
    Support s;
    s.page.choose("crack");
    QLineEdit& offset = test::fieldOf(s.page, "offset");
    offset.setFocus();
    offset.selectAll();
    QTest::keyClicks(&offset, "-4.5");
    QTest::keyClick(&offset, Qt::Key_Return);
    EXPECT_DOUBLE_EQ(s.value("crack", Layer::offset), -4.5);
    offset.selectAll();
    QTest::keyClicks(&offset, "soon");
    QSignalSpy refused(&s.window->workspace(), &app::Workspace::refused);
    QTest::keyClick(&offset, Qt::Key_Return);
    EXPECT_EQ(refused.count(), 1);
    EXPECT_DOUBLE_EQ(s.value("crack", Layer::offset), -4.5);
    // The numbers of a rule are there once it is chosen.
    const auto seen = [&](const char* name) {
        return s.page.findChild<QWidget*>(name)->isVisibleTo(&s.page);
    };
    EXPECT_FALSE(seen("above"));
    s.window->workspace().edit(
        withLayerValue(s.window.session(), "snare-layers", "crack", "struck-by", 2.0));
    EXPECT_TRUE(seen("above"));
}

TEST(Layers, ADragMovesTheChosenLayerAsOneStepBack) {
    Support s;
    s.page.choose("weight");
    ASSERT_TRUE(eventually([&] { return s.page.settled(); }));
    const Session before = s.window.session();
    test::dragHandle(s.page.plot().waves(), "offset", 60, 0);
    EXPECT_GT(s.value("weight", Layer::offset), 1.0);
    s.window->workspace().undo();
    EXPECT_EQ(s.window.session(), before);
}

TEST(Layers, ALayerIsSetJustLoudEnoughToBeMissedAsOneStepBack) {
    Support s;
    s.page.choose("weight");
    ASSERT_TRUE(eventually([&] { return s.page.settled(); }));
    const Session before = s.window.session();
    QSignalSpy said(&s.page, &LayersPage::said);
    auto* quiet = s.page.findChild<QPushButton*>("layer-quiet");
    quiet->menu()->actions()[0]->trigger();
    ASSERT_TRUE(eventually([&] { return said.count() == 1 && s.page.settled(); }, 60.0));
    EXPECT_TRUE(said[0][0].toString().contains("missed in the mix"))
        << said[0][0].toString().toStdString();
    EXPECT_NE(s.value("weight", Layer::level),
              findLayer(*findRow(before, "snare-layers"), "weight")->at(Layer::level));
    s.window->workspace().undo();
    EXPECT_EQ(s.window.session(), before);
}

TEST(Layers, WhatIsMissedAndWhatLinesUpIsSaid) {
    Support s;
    ASSERT_TRUE(eventually([&] { return s.page.settled(); }));
    s.page.findChild<QPushButton*>("layer-weigh")->click();
    ASSERT_TRUE(eventually([&] { return s.page.settled(); }, 60.0));
    const QString mix = s.page.list().item(0, 5)->text();
    EXPECT_TRUE(mix.contains("dB") || mix.contains("missed")) << mix.toStdString();
    QSignalSpy said(&s.page, &LayersPage::said);
    s.page.findChild<QPushButton*>("layer-line-up")->click();
    ASSERT_TRUE(eventually([&] { return said.count() == 1; }, 30.0));
    EXPECT_TRUE(said[0][0].toString().contains("Nothing in common"))
        << said[0][0].toString().toStdString();
    // Other layers: what was weighed is no longer said.
    s.key(Qt::Key_P);
    EXPECT_EQ(s.page.list().item(0, 5)->text(), QStringLiteral("–"));
}

TEST(Layers, TheBoardShowsThemWhereThereAreAny) {
    Window window;
    ASSERT_TRUE(window.listened());
    app::Board& board = window->board();
    const auto there = [&] {
        return !board.cellRect({"main", Column::layers}).isEmpty() &&
               app::columnsOf(window.session()).size() == 7U;
    };
    EXPECT_EQ(app::columnsOf(window.session()).size(), 6U);
    test::writeMono(window.folder() / "crack.wav", Support::burst(4000, 4));
    window->workspace().edit(
        withLayerRow(window.session(), "snare", {{(window.folder() / "crack.wav").string(), ""}})
            .session);
    EXPECT_TRUE(there());
    window->showBoard();
    board.select({"snare-layers", Column::layers});
    QTest::keyClick(&board, Qt::Key_Return);
    EXPECT_TRUE(window->layers().isVisible());
    EXPECT_EQ(window->layers().row(), "snare-layers");
    // Where a row has none, that is said and the page stays.
    window->showBoard();
    board.select({"snare-top", Column::layers});
    QTest::keyClick(&board, Qt::Key_Return);
    EXPECT_FALSE(window->layers().isVisible());
    // The align bench of such a row has no wave and does no harm.
    window->showBench({"snare-layers", Column::align});
    window->showBench({"snare-layers", std::nullopt});
    EXPECT_TRUE(window.settle());
}

TEST(Layers, TheLibraryFindsHearsAndGivesSounds) {
    Support s;
    const auto shots = s.window.folder() / "shots";
    demo::writeOneShots(shots);
    app::LibraryDialog& library = s.page.openLibrary(s.window.folder() / "sounds.sqlite");
    library.show();
    EXPECT_TRUE(library.state().contains("empty"));
    library.scan({shots});
    ASSERT_TRUE(
        eventually([&] { return !library.scanning() && library.table().rowCount() == 14; }));
    auto* words = library.findChild<QLineEdit*>("library-words");
    QTest::keyClicks(words, "CROSS snare");
    EXPECT_EQ(library.table().rowCount(), 1);
    words->clear();
    library.showSimilar(shots / "snare 01.wav", "Snare 01");
    ASSERT_TRUE(
        eventually([&] { return !library.searching() && library.state().contains("Most like"); }));
    EXPECT_TRUE(library.table().item(0, 0)->text().contains("Snare"))
        << library.table().item(0, 0)->text().toStdString();
    // Taken, and in place of another, a step back each.
    const Session before = s.window.session();
    library.table().setFocus();
    QTest::keyClick(&library.table(), Qt::Key_Return);
    EXPECT_EQ(s.row().layers.size(), 3U);
    s.page.choose("crack");
    QTest::keyClick(&library.table(), Qt::Key_Return, Qt::ControlModifier);
    EXPECT_NE(findLayer(s.row(), "crack")->sounds[0].file,
              findLayer(*findRow(before, "snare-layers"), "crack")->sounds[0].file);
    s.window->workspace().undo();
    s.window->workspace().undo();
    EXPECT_EQ(s.window.session(), before);
    QTest::keyClick(&library.table(), Qt::Key_Space);
    EXPECT_TRUE(eventually([&] { return s.window->player().previewing(); }));
    QTest::keyClick(&library, Qt::Key_Escape);
    EXPECT_FALSE(library.isVisible());
}

TEST(ProgrammedKit, OpensFromAFolderAndIsEditedNoteByNote) {
    Window window(false);
    ASSERT_TRUE(window.takeProgrammedDemo());
    EXPECT_TRUE(window->board().isVisible());
    ASSERT_TRUE(window.listened());
    ASSERT_TRUE(window.settle());
    const Session before = window.session();
    const std::size_t notes = before.pattern.get().notes.size();
    window->showHits();
    app::TimeLine& line = window->hits().timeLine();
    EXPECT_EQ(line.strokes().size(), notes);
    line.step(1);
    ASSERT_TRUE(line.selected().has_value());
    const Stroke first = *line.selected();
    EXPECT_TRUE(first.mic.empty());
    // Moved, struck harder, taken away: a step back each.
    QTest::keyClick(&line, Qt::Key_Right, Qt::AltModifier);
    ASSERT_TRUE(line.selected().has_value());
    EXPECT_NEAR(line.selected()->time, first.time + 0.001, 0.0005);
    const double velocity = line.selected()->velocity;
    QTest::keyClick(&line, Qt::Key_PageDown);
    ASSERT_TRUE(line.selected().has_value());
    EXPECT_NEAR(line.selected()->velocity, velocity - 0.05, 1e-9);
    QTest::keyClick(&line, Qt::Key_Delete);
    EXPECT_EQ(window.session().pattern.get().notes.size(), notes - 1);
    for (int i = 0; i < 3; ++i) window->workspace().undo();
    EXPECT_EQ(window.session(), before);
    line.addStroke("snare", 1.234);
    EXPECT_EQ(window.session().pattern.get().notes.size(), notes + 1);
    window->workspace().undo();
    // As a whole.
    window->hits().pattern().humanise(6.0, 0.08);
    EXPECT_NE(window.session().pattern, before.pattern);
    window->hits().pattern().correct(3.0, 1.0);
    window->workspace().undo();
    window->workspace().undo();
    EXPECT_EQ(window.session(), before);
    const auto out = window.folder() / "out.mid";
    window->hits().pattern().write(QString::fromStdString(out.string()));
    window->hits().pattern().take(QString::fromStdString(out.string()), false);
    EXPECT_EQ(window.session().pattern, before.pattern);
    // It is heard.
    window->player().seek(0.0);
    window->player().play();
    EXPECT_TRUE(eventually([&] {
        const RowMeter* meter = window->player().meter("kick");
        return meter != nullptr && meter->peak[0] > 0.01F;
    }));
    window->player().stop();
}

TEST(ProgrammedKit, AWindowThatClosesMeanwhileWaitsForWhatReads) {
    const test::TempFolder folder;
    demo::writeOneShots(folder / "shots");
    const Window window(false);
    window->takeKit({QString::fromStdString((folder / "shots").string())}, {});
    // The window goes before anything has come back.
}

TEST(ProgrammedKit, WhatCannotBeUsedIsSaid) {
    Window window(false);
    QSignalSpy opened(&window->workspace(), &app::Workspace::opened);
    const auto empty = window.folder() / "empty";
    std::filesystem::create_directories(empty);
    window->takeKit({QString::fromStdString(empty.string())}, {});
    auto* message = window->findChild<QLabel*>("message");
    EXPECT_TRUE(eventually([&] { return message->toolTip().contains("no usable audio"); }));
    EXPECT_TRUE(window->workspace().empty());
}

TEST(Layers, ADrumsOwnCleanStrokesAreCutAndPutUnderIt) {
    Window window;
    LayersPage& page = window->layers();
    ASSERT_TRUE(window.listened());
    QTest::keyClick(&*window, Qt::Key_Y, Qt::ControlModifier);
    const Session before = window.session();
    emit window->findChild<QPushButton*>("layer-support")->menu()->aboutToShow();
    EXPECT_NE(window->findChild<QAction*>("own-snare"), nullptr);
    EXPECT_EQ(window->findChild<QAction*>("own-cymbal"), nullptr) << "nothing stands at it";
    const auto folder = window.folder() / "cut";
    page.supportByOwn("snare", QString::fromStdString(folder.string()));
    ASSERT_TRUE(
        eventually([&] { return findRow(window.session(), "snare-layers") != nullptr; }, 120.0));
    const Row& row = *findRow(window.session(), "snare-layers");
    ASSERT_EQ(row.layers.size(), 1U) << "near-twins of one layer";
    EXPECT_GE(row.layers[0].sounds.size(), 2U);
    EXPECT_NEAR(row.layers[0].at(Layer::offset), -2.0, 1e-9) << "the stick where it was struck";
    for (const Source& sound : row.layers[0].sounds)
        EXPECT_TRUE(std::filesystem::exists(sound.file)) << sound.file;
    EXPECT_TRUE(window.settle());
    window->workspace().undo();
    EXPECT_EQ(window.session().rows, before.rows);
    // Where such samples are already, nothing is written over, and it is said.
    page.supportByOwn("snare", QString::fromStdString(folder.string()));
    ASSERT_TRUE(
        eventually([&] { return window->lastMessage().contains("is there already"); }, 120.0))
        << window->lastMessage().toStdString();
    EXPECT_EQ(window.session().rows, before.rows);
}

TEST(Layers, ArePrintedToSamplesWithTheirRecipe) {
    Support s;
    ASSERT_TRUE(eventually([&] { return s.page.settled(); }));
    emit s.page.findChild<QPushButton*>("layer-print")->clicked();
    auto* dialog = s.page.findChild<app::PrintStackDialog*>("print-stack");
    ASSERT_NE(dialog, nullptr);
    dialog->setFolder(s.path("samples"));
    auto* steps = dialog->findChild<QSpinBox*>("print-steps");
    steps->setFocus();
    QTest::keyClick(steps, Qt::Key_Up);
    EXPECT_EQ(steps->value(), 2);
    QTest::keyClick(dialog->findChild<QPushButton*>("print-go"), Qt::Key_Return);
    ASSERT_TRUE(eventually([&] {
        return !dialog->printing() && dialog->text().contains("recipe");
    })) << dialog->text().toStdString();
    EXPECT_TRUE(dialog->text().startsWith("2 samples"));
    EXPECT_TRUE(std::filesystem::exists(s.window.folder() / "samples" / "Snare Layers v2 r1.wav"));
    // Once more into the same folder: nothing is written over.
    QTest::keyClick(dialog->findChild<QPushButton*>("print-go"), Qt::Key_Return);
    ASSERT_TRUE(eventually([&] {
        return !dialog->printing() && dialog->text().contains("is there already");
    })) << dialog->text().toStdString();
}

}  // namespace
}  // namespace ember
