// Rows down, buses across: what each row feeds, and what it sends where, by how much.
#pragma once

#include "app/widgets/level_table.h"
#include "app/workers/player.h"
#include "app/workers/tracer.h"
#include "core/report/flow_table.h"

#include <optional>

namespace ember::app {

// Enter sends the row there or switches the send; a number typed is its level; Ctrl with Up and
// Down steps it (Shift: fine), as the wheel does, and dragging upwards; B takes it before or after
// the fader; O makes the bus the one that is fed; Delete takes a send away; M and S as on the
// Board.
class FlowMatrix : public LevelTable {
    Q_OBJECT
  public:
    FlowMatrix(Workspace& workspace, Tracer& tracer, Player& player, QWidget* parent = nullptr);
    // Reads the session again.
    void refresh();
    // Peaks at the sums, latencies.
    void refreshFigures();
    [[nodiscard]] const FlowTable& table() const { return table_; }
    // Row of the place that is chosen; empty: none.
    [[nodiscard]] std::string chosenRow() const;

  signals:
    void rowMenuAsked(const std::string& row, const QPoint& at);

  protected:
    [[nodiscard]] std::optional<double> levelAt(int row, int column) const override;
    void moveLevel(int row, int column, double db) override;
    void endGesture() override { workspace_.endGesture(); }
    void typed(int row, int column, const QString& text) override;
    void activate(int row, int column) override;
    bool cellKey(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

  private:
    struct Place {
        std::string row, bus;
        FlowCell cell;
    };
    [[nodiscard]] std::optional<Place> placeAt(int row, int column) const;
    [[nodiscard]] std::optional<Place> current() const {
        return placeAt(currentRow(), currentColumn());
    }
    void fill(int row, int column);
    // Sends there, or switches the send.
    void toggle(const Place& place);
    void setLevel(const Place& place, double db);
    void feed(const Place& place);
    [[nodiscard]] QString nameOf(const std::string& row) const;
    [[nodiscard]] QString shortName(const std::string& row, int width) const;
    [[nodiscard]] QTableWidgetItem* rowHead(const std::string& id) const;
    [[nodiscard]] QString told(const Place& place) const;

    Workspace& workspace_;
    Tracer& tracer_;
    Player& player_;
    FlowTable table_;
};

}  // namespace ember::app
