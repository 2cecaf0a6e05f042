// Pads: rows of layers struck by mouse and by keys, heard, kept as notes, taken back.
#include "core/session/layers.h"
#include "tests/ui/ui_support.h"

#include <QCheckBox>
#include <QComboBox>
#include <QPushButton>

#include <cmath>

namespace ember {
namespace {

using app::Pad;
using app::PadBoard;
using test::eventually;
using test::Window;

// The page with a row of layers under the snare, and the pads open.
struct Played {
    Window window;
    PadBoard& board;

    Played() : board(window->layers().pads()) {
        EXPECT_TRUE(window.listened());
        std::vector<float> sound = test::noise(0.4, 4000, 4);
        for (std::size_t i = 0; i < sound.size(); ++i)
            sound[i] *= std::exp(-static_cast<float>(i) / 700.0F);
        test::writeMono(window.folder() / "crack.wav", sound);
        QTest::keyClick(&*window, Qt::Key_Y, Qt::ControlModifier);
        window->layers().support(
            "snare", {QString::fromStdString((window.folder() / "crack.wav").string())});
        window->layers().findChild<QPushButton*>("layer-pads")->click();
        EXPECT_TRUE(board.isVisible());
        EXPECT_TRUE(window.settle());
    }
    // The loudest the row has been since it was last asked.
    [[nodiscard]] bool sounds() {
        const RowMeter* meter = window->player().meter("snare-layers");
        return meter != nullptr && std::max(meter->peak[0], meter->peak[1]) > 0.01F;
    }
    [[nodiscard]] std::size_t notes() const { return window.session().pattern.get().notes.size(); }
};

TEST(Pads, AreStruckByMouseAndByKeysWhileTheSongStands) {
    Played played;
    ASSERT_EQ(played.board.pads().size(), 1U);
    Pad* pad = played.board.pads().front();
    EXPECT_EQ(pad->accessibleName(), "Snare Layers, key A");
    EXPECT_TRUE(pad->hasFocus()) << "it is seen that letters go there";
    const Session before = played.window.session();
    std::vector<double> how;
    QObject::connect(pad, &Pad::struck, pad, [&](double velocity) { how.push_back(velocity); });
    QTest::mouseClick(pad, Qt::LeftButton, {}, QPoint(pad->width() / 2, pad->height() / 10));
    EXPECT_TRUE(eventually([&] { return played.sounds(); }));
    QTest::mouseClick(pad, Qt::LeftButton, {}, QPoint(pad->width() / 2, 9 * pad->height() / 10));
    // Letters, which mean something else in the rest of the window: A would accept a proposal.
    played.board.setFocus();
    QTest::keyClick(&played.board, Qt::Key_A);
    QTest::keyClick(&played.board, Qt::Key_A, Qt::ShiftModifier);
    QTest::keyClick(&played.board, Qt::Key_A, Qt::AltModifier);
    pad->setFocus();
    QTest::keyClick(pad, Qt::Key_Return);
    QTest::keyClick(pad, Qt::Key_A);
    QTest::keyClick(&played.board, Qt::Key_Z);
    ASSERT_EQ(how.size(), 7U);
    EXPECT_NEAR(how[0], 0.9, 0.02);
    EXPECT_NEAR(how[1], 0.1, 0.02);
    EXPECT_EQ(how[2], PadBoard::kUsual);
    EXPECT_EQ(how[3], PadBoard::kHard);
    EXPECT_EQ(how[4], PadBoard::kSoft);
    EXPECT_EQ(how[5], PadBoard::kUsual);
    EXPECT_EQ(how[6], PadBoard::kUsual);
    EXPECT_EQ(played.window.session(), before) << "it is heard, and nothing is kept";
    // A second row of layers, and the other way of striking it.
    played.window->layers().support(
        "kick", {QString::fromStdString((played.window.folder() / "crack.wav").string())});
    EXPECT_EQ(played.board.pads().size(), 2U);
    played.window->workspace().edit(withLayerValue(played.window.session(), "kick-layers", "crack",
                                                   "way", static_cast<double>(StruckWay::other)));
    EXPECT_EQ(played.board.pads().size(), 3U);
}

TEST(Pads, WhatIsPlayedBecomesNotesThatUndoTakesBack) {
    Played played;
    const Session before = played.window.session();
    auto* keep = played.board.findChild<QCheckBox*>("pads-keep");
    keep->click();
    EXPECT_TRUE(played.window->player().keeping());
    // What is struck while the song stands is not kept.
    QTest::keyClick(&played.board, Qt::Key_A);
    played.window->player().play();
    ASSERT_TRUE(eventually([&] { return played.window->player().position() > 0.3; }));
    for (const auto modifier : {Qt::NoModifier, Qt::ShiftModifier}) {
        const double from = played.window->player().position();
        QTest::keyClick(&played.board, Qt::Key_A, modifier);
        ASSERT_TRUE(eventually([&] { return played.window->player().position() > from + 0.2; }));
    }
    EXPECT_EQ(played.notes(), 0U);
    const double end = played.window->player().position();
    played.window->player().stop();
    ASSERT_TRUE(eventually([&] { return played.notes() == 2; }));
    const Pattern& pattern = played.window.session().pattern.get();
    EXPECT_EQ(pattern.notes[0].drum, "snare");
    EXPECT_EQ(pattern.notes[0].velocity, PadBoard::kUsual);
    EXPECT_EQ(pattern.notes[1].velocity, PadBoard::kHard);
    for (const Note& note : pattern.notes) {
        const double at = secondsOf(pattern, note, played.window.session().time);
        EXPECT_GT(at, 0.0);
        EXPECT_LT(at, end);
    }
    EXPECT_EQ(played.window->lastMessage(), "2 notes kept of what was played.");
    const Session kept = played.window.session();
    const auto file = played.window.folder() / "take.json";
    ASSERT_TRUE(played.window->saveTo(QString::fromStdString(file.string())));
    played.window->workspace().undo();
    EXPECT_EQ(played.window.session(), before);
    ASSERT_TRUE(played.window->openSession(QString::fromStdString(file.string())));
    EXPECT_EQ(played.window.session().pattern, kept.pattern);
}

TEST(Pads, AreStruckByAMidiKeyboard) {
    Played played;
    auto* inputs = played.board.findChild<QComboBox*>("pads-midi");
    EXPECT_EQ(inputs->count(), 1) << "nothing is plugged in";
    const auto show = [&] {
        played.board.hide();
        played.board.show();
    };
    test::MidiKeyboards& midi = played.window.midi();
    midi.names = {"Little Keys", "Drum Pads"};
    show();
    ASSERT_TRUE(eventually([&] { return inputs->count() == 3; }));
    const auto choose = [&](int at) {
        inputs->setCurrentIndex(at);
        emit inputs->activated(at);
    };
    choose(2);
    ASSERT_TRUE(midi.isOpen());
    std::vector<double> how;
    Pad* pad = played.board.pads().front();
    QObject::connect(pad, &Pad::struck, pad, [&](double velocity) { how.push_back(velocity); });
    midi.strike(38, 0.5);  // the snare
    ASSERT_TRUE(eventually([&] { return how.size() == 1; }));
    EXPECT_EQ(how[0], 0.5);
    EXPECT_TRUE(eventually([&] { return played.sounds(); }));
    midi.strike(36, 0.5);  // the kick, which no layers play
    ASSERT_TRUE(eventually([&] {
        return played.window->lastMessage() == "Key 36 strikes Kick, which no layers play.";
    }));
    midi.strike(5, 0.5);
    ASSERT_TRUE(eventually(
        [&] { return played.window->lastMessage() == "Key 5 strikes no drum of this kit."; }));
    EXPECT_EQ(how.size(), 1U);
    // Pulled out: said, and the pads go on.
    midi.names = {"Little Keys"};
    choose(2);
    EXPECT_FALSE(midi.isOpen());
    EXPECT_EQ(inputs->currentIndex(), 0);
    EXPECT_EQ(played.window->lastMessage(), "Drum Pads is gone.");
    choose(1);
    EXPECT_TRUE(midi.isOpen());
    played.board.hide();
    EXPECT_FALSE(midi.isOpen());
}

TEST(Pads, ATakeIsCountedInAndGoesOnBehindTheEnd) {
    Played played;
    app::Player& player = played.window->player();
    for (const char* name : {"pads-keep", "pads-count-in"})
        played.board.findChild<QCheckBox*>(name)->click();
    const Session& session = played.window.session();
    const double from = secondsOfBar(session.time, 1), bar = secondsOfBar(session.time, 2) - from;
    player.seek(from);
    player.play();
    // What is heard meanwhile stands before where it was played from.
    ASSERT_TRUE(eventually(
        [&] { return player.frame().position > 0 && player.position() < from - 0.5 * bar; }));
    EXPECT_FALSE(player.frame().playing);
    ASSERT_TRUE(eventually([&] { return player.frame().playing; }));
    QTest::keyClick(&played.board, Qt::Key_A);
    ASSERT_TRUE(eventually([&] { return player.position() > from + 0.3; }));
    player.stop();
    ASSERT_TRUE(eventually([&] { return played.notes() == 1; }));
    // The end of the recordings is no end while one plays along.
    player.seek(player.length() - 0.1);
    played.board.findChild<QCheckBox*>("pads-count-in")->click();
    player.play();
    EXPECT_TRUE(eventually([&] { return player.position() > player.length() + 0.3; }));
    EXPECT_TRUE(player.playing());
}

}  // namespace
}  // namespace ember
