// At which strokes something opens, how far, and how long.
#pragma once

#include "core/session/curves.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QSpinBox>

namespace ember::app {

class NumberEdit;

class StrokeOpeningDialog : public QDialog {
    Q_OBJECT
  public:
    StrokeOpeningDialog(const Session& session, const CurvePlace& place, QWidget* parent = nullptr);
    [[nodiscard]] StrokeOpening opening() const;

  private:
    QComboBox *drum_ = nullptr, *kind_ = nullptr, *length_ = nullptr;
    QSpinBox *every_ = nullptr, *first_ = nullptr;
    NumberEdit *open_ = nullptr, *closed_ = nullptr;
};

}  // namespace ember::app
