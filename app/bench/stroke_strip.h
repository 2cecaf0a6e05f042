// One usual stroke as it comes into a step and as it leaves it: its wave, or its level.
#pragma once

#include "app/bench/plot.h"
#include "app/workers/errand.h"
#include "core/report/stroke_view.h"

#include <QTimer>
#include <QToolButton>

namespace ember::app {

struct Bench;

class StrokeStrip : public QWidget {
    Q_OBJECT
  public:
    // `level`: begins with the level; with `attacks` it also shows what a faster and a slower
    // attack would make of the stroke.
    StrokeStrip(Bench& bench, std::string row, std::string stage, bool level, bool attacks,
                QWidget* parent = nullptr);
    ~StrokeStrip() override;
    [[nodiscard]] Plot* plot() const { return plot_; }
    // The session changed: looks again when the hand rests.
    void follow();

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    void look();
    void draw();
    void drawLevel();
    void drawWave();
    // Of what leaves the step; quiet while the step is off and this is what it would do.
    [[nodiscard]] QColor answerColour() const;

    Bench& bench_;
    std::string row_, stage_;
    bool attacks_;
    Plot* plot_ = nullptr;
    QToolButton* wave_ = nullptr;
    QCPGraph *before_ = nullptr, *after_ = nullptr, *fast_ = nullptr, *slow_ = nullptr,
             *foot_ = nullptr;
    Errand<std::shared_ptr<const StrokeView>> viewing_;
    QTimer rest_;
    std::shared_ptr<const StrokeView> view_;
};

}  // namespace ember::app
