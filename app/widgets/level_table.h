// A table whose cells hold levels: dragged upwards, turned by the wheel over the chosen cell,
// stepped with Ctrl and the arrows (Shift: fine), or typed.
#pragma once

#include <QTableWidget>

#include <optional>

namespace ember::app {

class LevelTable : public QTableWidget {
    Q_OBJECT
  public:
    // `dbPerPixel`: how far a drag moves.
    explicit LevelTable(double dbPerPixel, QWidget* parent = nullptr);

  protected:
    // Of a cell, dB; none where there is nothing to move.
    [[nodiscard]] virtual std::optional<double> levelAt(int row, int column) const = 0;
    // Moves it, as part of a gesture.
    virtual void moveLevel(int row, int column, double db) = 0;
    virtual void endGesture() = 0;
    // What was typed into a cell; whatever comes of it, the cell is filled again.
    virtual void typed(int row, int column, const QString& text) = 0;
    // A double click, as Enter.
    virtual void activate(int row, int column) = 0;
    // A key of the table's own, for the chosen cell; false where it is none.
    virtual bool cellKey(QKeyEvent* event) = 0;

    void keyPressEvent(QKeyEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

    bool filling_ = false;  // cells are set by the table itself

  private:
    // Keys that move levels or begin to type one; false where the key is none of them.
    bool levelKey(QKeyEvent* event);
    void step(int row, int column, bool up, bool fine);

    double dbPerPixel_;
    bool dragging_ = false;
    int dragRow_ = -1, dragColumn_ = -1;
    double dragFrom_ = 0.0, dragDb_ = 0.0;
};

}  // namespace ember::app
