// A lying level meter: average as a bar, peak as a line, reduction from the right.
#pragma once

#include "core/engine/plan.h"

#include <QWidget>

class QPainter;

namespace ember::app {

// Share 0..1 of a level on the meters' scale (-60 to +6 dBFS).
double meterShare(double db);

// Paints into `area`; shared by the Board's row heads and the bench.
void paintMeter(QPainter& painter, const QRectF& area, const RowMeter* meter);

class LevelMeter : public QWidget {
    Q_OBJECT
  public:
    explicit LevelMeter(QWidget* parent = nullptr);
    void show(const RowMeter* meter);
    using QWidget::show;
    [[nodiscard]] QSize sizeHint() const override { return {180, 40}; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    RowMeter meter_;
    float held_[2] = {0.0F, 0.0F};
};

}  // namespace ember::app
