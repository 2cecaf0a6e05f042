// Pads on the screen and under the fingers: every row of layers, struck by hand.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/player.h"
#include "devices/midi_input.h"

#include <QAbstractButton>
#include <QCheckBox>
#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QTimer>
#include <QWidget>

#include <memory>
#include <vector>

namespace ember::app {

// Struck where it is pressed: the higher, the harder; by keys at the usual strength.
class Pad : public QAbstractButton {
    Q_OBJECT
  public:
    Pad(const QString& name, Qt::Key key, QWidget* parent = nullptr);
    // Strikes and shows it; 0..1.
    void strike(double velocity);
    [[nodiscard]] Qt::Key key() const { return key_; }

  signals:
    void struck(double velocity);

  protected:
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    [[nodiscard]] QSize sizeHint() const override { return {112, 84}; }

  private:
    Qt::Key key_;
    double shown_ = 0.0;  // how hard it was struck last, while that is shown
    QTimer fade_;
};

struct PadOptions {
    MidiPorts midi{};
    bool remember = false;  // the input, click and count-in, between starts
};

// All of them, struck by mouse, keys and MIDI, and whether what is played is kept as notes.
class PadBoard : public QWidget {
    Q_OBJECT
  public:
    // How hard keys strike: alone, with Shift, with Alt.
    static constexpr double kUsual = 0.7, kHard = 0.95, kSoft = 0.3;

    PadBoard(Workspace& workspace, Player& player, PadOptions options, QWidget* parent = nullptr);
    ~PadBoard() override;
    [[nodiscard]] const std::vector<Pad*>& pads() const { return pads_; }

  signals:
    void said(const QString& sentence);

  protected:
    bool event(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    void refresh();
    void keep(const std::vector<Played>& take);
    QCheckBox* choice(const QString& text, const char* name, const QString& what,
                      void (Player::*set)(bool));
    void fillInputs();
    void openInput(const QString& name);
    // What a MIDI key strikes: the pads of its drum, struck that way.
    void strikeKey(const MidiStrike& strike);
    [[nodiscard]] Pad* padOf(int key) const;

    Workspace& workspace_;
    Player& player_;
    QHBoxLayout* line_ = nullptr;
    QCheckBox *keep_ = nullptr, *click_ = nullptr, *countIn_ = nullptr;
    struct Place {
        std::string row;
        std::string drum;
        QString name;
        int articulation = 0;
        bool operator==(const Place&) const = default;
    };
    std::vector<Place> places_;
    std::vector<Pad*> pads_;
    PadOptions options_;
    QComboBox* midi_ = nullptr;
    Errand<std::vector<std::string>> inputs_;
    std::unique_ptr<MidiInput> input_;
};

}  // namespace ember::app
