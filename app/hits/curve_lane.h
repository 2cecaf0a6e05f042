// One curve along the song, under the time line and to its scale: drawn by mouse or by keys.
#pragma once

#include "app/hits/time_line.h"
#include "core/session/curves.h"

#include <QWidget>

#include <optional>

namespace ember::app {

class CurveLane : public QWidget {
    Q_OBJECT
  public:
    CurveLane(Workspace& workspace, Player& player, TimeLine& line, QWidget* parent = nullptr);

    // What is drawn; none: nothing can be.
    void show(const std::optional<CurvePlace>& place);
    [[nodiscard]] const std::optional<CurvePlace>& place() const { return place_; }
    // The selected point of the curve; -1: none.
    [[nodiscard]] int selected() const { return selected_; }
    void select(int point);
    [[nodiscard]] QString selectedText() const;

    // Edits; each is one step of undo, a drag as a whole.
    void addPoint(double seconds, double value);
    void removeSelected();
    void setShape(CurveShape shape);
    // Of the selected point, in quarters and along the parameter's scale (1: all of it).
    void moveSelected(double quarters, double share);

    // Where a point stands in the repetition that begins at a quarter; for tests too.
    [[nodiscard]] QPointF placeOf(const CurvePoint& point, double begin = 0.0) const;
    [[nodiscard]] double valueAt(double y) const;
    void tick();

  signals:
    void selectionChanged();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool event(QEvent* event) override;

  private:
    [[nodiscard]] const Curve* curve() const;
    [[nodiscard]] const Parameter* parameter() const;
    [[nodiscard]] QRectF area() const;
    [[nodiscard]] static bool reachesSilence(const Parameter& parameter);
    [[nodiscard]] static QString told(const Parameter& parameter, double value);
    [[nodiscard]] double yOf(double value) const;
    // Of the song; where the curve repeats, of the repetition there.
    [[nodiscard]] double quarterAt(double x) const;
    // Quarters at which what is in sight of the curve begins anew; 0 alone where it does not.
    [[nodiscard]] std::vector<double> beginnings() const;
    // On the grid that is drawn, unless `freely`.
    [[nodiscard]] double snapped(double quarter, bool freely) const;
    [[nodiscard]] int pointAt(const QPointF& place) const;
    void put(Curve next, int selected, const std::string& gesture = {});
    void paintGrid(QPainter& painter) const;
    void paintCurve(QPainter& painter, const Curve& curve, const Parameter& parameter) const;
    void paintPoint(QPainter& painter, const QPointF& at, CurveShape shape, bool chosen) const;

    Workspace& workspace_;
    Player& player_;
    TimeLine& line_;
    std::optional<CurvePlace> place_;
    int selected_ = -1;
    bool dragging_ = false;
    Curve dragBase_;
    int playheadAt_ = -1;
};

}  // namespace ember::app
