// A finished record beside the mix: heard in its place, in figures, bare bars brought to where one
// is, and what would bring the mix nearer.
#pragma once

#include "app/bench/plot.h"
#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "app/workers/player.h"
#include "app/workers/watch.h"
#include "core/report/reference.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QVBoxLayout>
#include <QWidget>

#include <array>
#include <atomic>
#include <memory>
#include <optional>
#include <vector>

namespace ember::app {

// Measured while it is shown, over the loop or half a minute from the playhead, anew after every
// edit; the record itself once.
class ReferencePage : public QWidget {
    Q_OBJECT
  public:
    ReferencePage(Workspace& workspace, Listener& listener, Player& player,
                  QWidget* parent = nullptr);
    ~ReferencePage() override;

    [[nodiscard]] bool measuring() const { return running_.isRunning() || again_; }
    [[nodiscard]] bool ready() const { return known_.has_value() && !measuring(); }
    // What was measured last; null: nothing, and why is said.
    [[nodiscard]] const ReferenceReading* reading() const {
        return known_ ? &known_->reading : nullptr;
    }
    [[nodiscard]] const ReferenceCheck* found() const { return known_ ? &known_->check : nullptr; }
    [[nodiscard]] QTableWidget& figures() { return *figures_; }
    [[nodiscard]] QString text() const { return words_->text(); }
    [[nodiscard]] QString moving() const { return moving_->text(); }
    void refreshLook() { draw(); }
    void focusFirst();

  signals:
    void mixesAsked();  // two mixes beside each other in place of this
    void addAsked();    // a recording is wanted as a record
    // Sounds like this file are wanted, which is a stroke of the record's kick, snare or hat.
    void likeAsked(const QString& file, const QString& name, const std::string& kind);

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    // Of the plot; the record's loudest third is 0.
    static constexpr double kLowestDb = -54.0, kHighestDb = 6.0;
    struct Known {
        ReferenceReading reading;
        ReferenceCheck check;
    };
    QWidget* makePanel();
    void fillChoices();
    [[nodiscard]] std::string chosen() const;
    void measure();
    void finish();
    void draw();
    void drawSpectra();
    void fillFigures();
    void fillBare();
    void fillParts();
    void fillMoves();
    // Brings bars of the record, from a second of the song on, to where one is, and loops there.
    void loopHere(double begins, int bars, const std::string& why);
    void make(const ReferenceMove& move);
    void askMoving();
    void writeMidi();
    void findLike(const std::string& drum);
    void askDraft();
    void refreshHearing();

    Workspace& workspace_;
    Listener& listener_;
    Player& player_;
    QComboBox* row_ = nullptr;
    QLabel *state_ = nullptr, *words_ = nullptr, *nothing_ = nullptr, *moving_ = nullptr,
           *noBare_ = nullptr, *noParts_ = nullptr;
    QPushButton *hear_ = nullptr, *stop_ = nullptr, *add_ = nullptr, *midi_ = nullptr,
                *draft_ = nullptr, *askMoving_ = nullptr;
    std::vector<QPushButton*> likes_;
    std::array<QSpinBox*, 2> band_{};
    Plot* plot_ = nullptr;
    QTableWidget* figures_ = nullptr;
    QVBoxLayout *bare_ = nullptr, *moves_ = nullptr, *parts_ = nullptr;
    std::vector<QWidget*> shownBare_, shownMoves_, shownParts_;
    Errand<Outcome<Known>> running_;
    Errand<Outcome<std::vector<Modulation>>> looking_;
    std::atomic<bool> abandon_{false};
    bool again_ = false, stopped_ = false, stale_ = true;
    std::shared_ptr<const KitMeasurement> of_;  // by whose strokes it is rendered
    QTemporaryDir cuts_;                        // strokes of the record, to search by
    std::string read_;                          // which recordings known_ was read of
    std::optional<Known> known_;
};

}  // namespace ember::app
