// The Board: the whole mix as one table. Rows are what sounds, columns the steps of the work.
#pragma once

#include "app/board/cell.h"
#include "app/workers/player.h"
#include "app/workers/tracer.h"

#include <QAbstractScrollArea>
#include <QPixmap>

#include <map>
#include <optional>
#include <set>

namespace ember::app {

// A place on the Board. An empty row is the column's head; no column is the row's head.
struct BoardPlace {
    std::string row;
    std::optional<Column> column;
    bool operator==(const BoardPlace&) const = default;
};

class Board : public QAbstractScrollArea {
    Q_OBJECT
  public:
    Board(Workspace& workspace, Player& player, Tracer& tracer, QWidget* parent = nullptr);

    [[nodiscard]] const BoardPlace& selected() const { return selected_; }
    void select(const BoardPlace& place);
    // Where a cell is in the viewport; for tests and help.
    [[nodiscard]] QRectF cellRect(const BoardPlace& place) const;
    [[nodiscard]] QRectF muteRect(const std::string& row) const;
    [[nodiscard]] QRectF soloRect(const std::string& row) const;
    void setRowHeight(int pixels);
    [[nodiscard]] int rowHeight() const { return rowHeight_; }
    // Stages (row, stage) for which something is proposed: their cells carry the half dot.
    void setProposed(std::set<std::pair<std::string, Column>> cells);
    void setFolded(const std::string& bus, bool folded);
    void refreshLook();
    // Meters only.
    void tick();

  signals:
    void selectionChanged();
    void opened(const ember::app::BoardPlace& place);
    // The name, role, bus or pair of a row is to be changed; `at` is a global position.
    void rowMenuAsked(const std::string& row, const QPoint& at);
    void renameAsked(const std::string& row);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool viewportEvent(QEvent* event) override;

  private:
    static constexpr int kHeadHeight = 28;  // of the columns
    static constexpr int kHeadWidth = 226;  // of the rows

    struct Picture {
        QPixmap pixmap;
        Cell cell;
    };

    [[nodiscard]] std::vector<const Row*> shown() const;
    // The cell with what is proposed for it.
    [[nodiscard]] Cell cellAt(const Row& row, Column column) const;
    [[nodiscard]] std::span<const Column> columns() const;
    [[nodiscard]] double columnWidth() const;
    [[nodiscard]] QRectF rowRect(int index) const;
    [[nodiscard]] QRectF meterRect(int index) const;
    [[nodiscard]] BoardPlace placeAt(const QPointF& at) const;
    [[nodiscard]] int indexOf(const std::string& row) const;
    const Picture& picture(const Row& row, Column column, const QSize& size);
    void forget(const std::string& row);
    void layOut();
    void paintHead(QPainter& painter, const Row& row, int index);
    void paintColumnHeads(QPainter& painter);
    void describeSelection();
    // In place of the mix, or the mix again.
    void hearReference(const std::string& row);
    void walk(int down, int right);

    Workspace& workspace_;
    Player& player_;
    Tracer& tracer_;
    BoardPlace selected_;
    std::set<std::string> folded_;
    std::set<std::pair<std::string, Column>> proposed_;  // row, column
    std::map<std::pair<std::string, Column>, Picture> pictures_;
    LoopSpan pictured_;
    int rowHeight_ = 50;
};

}  // namespace ember::app
