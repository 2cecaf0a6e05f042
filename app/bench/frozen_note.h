// A line over a chain that does not sound because its row is frozen, or no longer is.
#pragma once

#include "app/workers/player.h"
#include "app/workers/printer.h"

#include <QLabel>
#include <QPushButton>
#include <QWidget>

#include <string>

namespace ember::app {

// Hidden while its row plays live and has no print.
class FrozenNote : public QWidget {
    Q_OBJECT
  public:
    FrozenNote(Workspace& workspace, Player& player, Printer& printer, QWidget* parent = nullptr);
    void setRow(const std::string& row);
    [[nodiscard]] QString text() const { return label_->text(); }

  private:
    void refresh();

    Workspace& workspace_;
    Player& player_;
    Printer& printer_;
    std::string row_;
    QLabel* label_ = nullptr;
    QPushButton *live_ = nullptr, *anew_ = nullptr;
};

}  // namespace ember::app
