// What the selected cell is checked against: a level of this kind of drum, or a drum's note.
#pragma once

#include "app/workers/workspace.h"

#include <QDoubleSpinBox>
#include <QLabel>
#include <QWidget>

#include <optional>

namespace ember::app {

class EvidenceTarget : public QWidget {
    Q_OBJECT
  public:
    explicit EvidenceTarget(Workspace& workspace, QWidget* parent = nullptr);
    // The level target at the row's seat, the wanted note at its equaliser; hides elsewhere.
    void show(const Row* row, std::optional<Column> column);

  private:
    void put(double value);
    void showNote(const std::string& drum);
    void showLevel(const LevelTarget& target);

    Workspace& workspace_;
    std::string row_;
    std::optional<Column> column_;
    QLabel* title_;
    QDoubleSpinBox* value_;
};

}  // namespace ember::app
