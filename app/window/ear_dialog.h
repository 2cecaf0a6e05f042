// Loud minutes of the day and the week, and the limit that one sets oneself.
#pragma once

#include "app/workers/ear.h"

#include <QDialog>
#include <QLabel>
#include <QSpinBox>

namespace ember::app {

class EarDialog : public QDialog {
    Q_OBJECT
  public:
    EarDialog(Ear& ear, QWidget* parent = nullptr);
    [[nodiscard]] QString text() const { return days_->text(); }

  private:
    void refresh();

    Ear& ear_;
    QLabel* days_ = nullptr;
};

}  // namespace ember::app
