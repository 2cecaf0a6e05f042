// Microphones down, drums across: how loud each drum is heard in each microphone, and what it is
// turned to.
#pragma once

#include "app/workers/workspace.h"
#include "core/report/bleed_table.h"

#include <QTableWidget>

#include <optional>

namespace ember::app {

// A number typed turns the drum to it; Ctrl with Up and Down steps (Shift: fine), as the wheel
// does, and dragging upwards; Enter turns it down or back; Delete turns it back; O switches
// the microphone's bleed step.
class BleedMixer : public QTableWidget {
    Q_OBJECT
  public:
    struct Place {
        std::string row, drum;
        std::optional<BleedTable::Cell> heard;
        bool own = false;
    };

    explicit BleedMixer(Workspace& workspace, QWidget* parent = nullptr);
    // What is shown: measured levels, with the drums that can be turned, and the hash they are
    // turned by; empty: nothing can be turned yet.
    void show(const BleedTable& table, const std::vector<std::string>& drums,
              const std::string& model);
    // Reads the session again.
    void refresh();
    [[nodiscard]] std::optional<Place> current() const {
        return placeAt(currentRow(), currentColumn());
    }

  protected:
    void keyPressEvent(QKeyEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

  private:
    [[nodiscard]] std::optional<Place> placeAt(int row, int column) const;
    [[nodiscard]] double gainOf(const Place& place) const;
    void fill(int row, int column);
    void turn(const Place& place, double db);
    void toggle(const Place& place);
    void typed(const Place& place, const QString& text);

    Workspace& workspace_;
    BleedTable table_;
    std::vector<std::string> drums_;
    std::string model_;
    bool filling_ = false;
    std::optional<Place> dragged_;
    double dragFrom_ = 0.0, dragDb_ = 0.0;
};

}  // namespace ember::app
