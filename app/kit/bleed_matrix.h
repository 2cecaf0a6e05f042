// Drums across, microphones down: how loud each drum is heard in each microphone.
#pragma once

#include "core/report/bleed_table.h"

#include <QTableWidget>

namespace ember::app {

class BleedMatrix : public QTableWidget {
    Q_OBJECT
  public:
    explicit BleedMatrix(QWidget* parent = nullptr);
    void show(const Session& session, const BleedTable& table);

  signals:
    // Enter or a double click: a microphone's row, and the drum that was chosen in it.
    void chosen(const std::string& row, const std::string& drum);

  private:
    BleedTable table_;
};

}  // namespace ember::app
