// A plot in the application's look, with handles that drag values.
#pragma once

#include <QPainterPath>
#include <QVector>
#include <qcustomplot.h>

#include <functional>

namespace ember::app {

// A thing in the plot that moves a value: a level line or a point. A point shows its label (name
// and value) while it is pointed at or chosen; a line always.
struct Handle {
    enum class Kind { horizontal, vertical, point };
    QString id, label;
    Kind kind = Kind::point;
    double x = 0.0, y = 0.0;  // plot coordinates
    QColor colour;
    bool dashed = false;
    bool visible = true;
    QPainterPath glyph = {};  // around zero, in pixels; empty: a disc
};

// Handles are dragged with the left button, or moved with the arrow keys once chosen (Tab
// chooses the next; Shift: fine). Double-click on one asks for its default.
class Plot : public QCustomPlot {
    Q_OBJECT
  public:
    explicit Plot(QWidget* parent = nullptr);
    // Takes on the current look.
    void applyLook();
    void setHandles(const QVector<Handle>& handles);
    [[nodiscard]] const QVector<Handle>& handles() const { return handles_; }
    // Where a handle is on the widget; for tests and for help bubbles.
    [[nodiscard]] QPointF handlePixel(const QString& id) const;
    // One key step of the chosen handle in plot units.
    void setKeySteps(double x, double y);
    [[nodiscard]] QString chosen() const { return chosen_; }
    void choose(const QString& id);
    // Logarithmic frequency axis from 20 Hz to 20 kHz below, levels in dB at the left.
    void setupFrequencyAxis(double lowDb, double highDb);
    // Pan from left (-100) to right (100) below.
    void setupPanAxis();
    void setupTimeAxis(const QString& leftLabel, double low, double high);

  signals:
    void handleMoved(const QString& id, double x, double y);
    void handleReleased(const QString& id);
    void handleReset(const QString& id);
    void handleChosen(const QString& id);

  protected:
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool focusNextPrevChild(bool next) override;
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void leaveEvent(QEvent* event) override;

  private:
    void setFrequencyTicks();
    [[nodiscard]] int handleAt(const QPointF& pixel) const;
    [[nodiscard]] int indexOf(const QString& id) const;
    [[nodiscard]] QPointF pixelOf(const Handle& handle) const;
    void paintPoint(QPainter& painter, const Handle& handle) const;
    void paintTag(QPainter& painter, QRectF tag, const QString& text) const;

    QVector<Handle> handles_;
    QString dragged_, chosen_, pointed_;
    QPointF grab_;
    double stepX_ = 1.0, stepY_ = 0.5;
};

// Text on a plot's axes: 1000 -> "1k".
QString frequencyLabel(double hertz);

}  // namespace ember::app
