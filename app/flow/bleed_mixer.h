// Microphones down, drums across: how loud each drum is heard in each microphone, and what it is
// turned to. Of a programmed kit, the buses that stand for its overheads and rooms, and how loud
// each drum feeds them.
#pragma once

#include "app/widgets/level_table.h"
#include "app/workers/workspace.h"
#include "core/report/bleed_table.h"
#include "core/session/feeds.h"

#include <optional>

namespace ember::app {

// A number typed turns the drum to it; Ctrl with Up and Down steps (Shift: fine), as the wheel
// does, and dragging upwards; Enter turns it down or back; Delete turns it back; O switches
// the microphone's bleed step.
class BleedMixer : public LevelTable {
    Q_OBJECT
  public:
    struct Place {
        std::string row, drum;
        std::optional<BleedTable::Cell> heard;
        bool own = false;
        bool fed = false;  // the row is a bus, and the drum feeds it
    };

    explicit BleedMixer(Workspace& workspace, QWidget* parent = nullptr);
    // What is shown: measured levels, with the drums that can be turned, and the hash they are
    // turned by; empty: nothing can be turned yet. Feeds are read from the session.
    void show(const BleedTable& table, const std::vector<std::string>& drums,
              const std::string& model);
    // Reads the session again.
    void refresh();
    [[nodiscard]] std::optional<Place> current() const {
        return placeAt(currentRow(), currentColumn());
    }

  protected:
    [[nodiscard]] std::optional<double> levelAt(int row, int column) const override;
    void moveLevel(int row, int column, double db) override;
    void endGesture() override { workspace_.endGesture(); }
    void typed(int row, int column, const QString& text) override;
    void activate(int row, int column) override;
    bool cellKey(QKeyEvent* event) override;

  private:
    [[nodiscard]] std::optional<Place> placeAt(int row, int column) const;
    [[nodiscard]] double gainOf(const Place& place) const;
    void fill(int row, int column);
    void turn(const Place& place, double db);
    void toggle(const Place& place);

    Workspace& workspace_;
    void fillApart(QTableWidgetItem& at, const BleedTable::Mic& mic) const;
    [[nodiscard]] QString words(const Place& place, const QString& drum, double db) const;

    BleedTable table_;
    KitFeeds feeds_;
    std::vector<std::string> drums_, turned_;  // all; those that can be turned in microphones
    std::string model_;
};

}  // namespace ember::app
