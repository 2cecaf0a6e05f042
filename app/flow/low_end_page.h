// The bottom of the mix by itself: kick and bass alone, who owns which octave, where they meet, and
// what may be done about it.
#pragma once

#include "app/bench/plot.h"
#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "app/workers/player.h"
#include "app/workers/watch.h"
#include "core/report/low_end.h"

#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>
#include <QWidget>

#include <atomic>
#include <memory>
#include <vector>

namespace ember::app {

// Measured while it is shown, over the loop or over a minute from the playhead, anew after every
// edit.
class LowEndPage : public QWidget {
    Q_OBJECT
  public:
    LowEndPage(Workspace& workspace, Listener& listener, Player& player, QWidget* parent = nullptr);
    ~LowEndPage() override;

    [[nodiscard]] bool measuring() const { return running_.isRunning() || again_; }
    [[nodiscard]] bool ready() const { return known_ && !measuring(); }
    // What was measured last; none: there is a problem, said in place of it.
    [[nodiscard]] const LowEnd* found() const { return known_ ? &found_ : nullptr; }
    [[nodiscard]] QTableWidget& octaves() { return *octaves_; }
    [[nodiscard]] QString text() const { return words_->text(); }
    void refreshLook() { draw(); }

  protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

  private:
    QWidget* makePanel();
    void measure();
    void finish();
    void draw();
    void drawBands();
    void drawStrokes();
    void fillOctaves();
    void fillMoves();
    void make(const LowMove& move);
    void hearAlone(bool on);
    void goToWorst();

    Workspace& workspace_;
    Listener& listener_;
    Player& player_;
    QLabel *state_ = nullptr, *words_ = nullptr, *nothing_ = nullptr;
    QPushButton *stop_ = nullptr, *alone_ = nullptr, *worst_ = nullptr;
    Plot *bands_ = nullptr, *strokes_ = nullptr;
    QTableWidget* octaves_ = nullptr;
    QVBoxLayout* moves_ = nullptr;
    std::vector<QWidget*> shownMoves_;
    Errand<Outcome<LowEnd>> running_;
    std::atomic<bool> abandon_{false};
    bool again_ = false;  // it changed while it was measured
    bool stopped_ = false;
    bool stale_ = true;  // it changed while it was not shown
    bool hears_ = false;
    std::shared_ptr<const KitMeasurement> of_;
    LowEnd found_;
    bool known_ = false;
};

}  // namespace ember::app
