// A curve as a slow wave, and several that move together.
#pragma once

#include "core/session/movement.h"

#include <QComboBox>
#include <QDialog>
#include <QSpinBox>

namespace ember::app {

class NumberEdit;

class WaveDialog : public QDialog {
    Q_OBJECT
  public:
    WaveDialog(const Session& session, const CurvePlace& place, QWidget* parent = nullptr);
    [[nodiscard]] Wave wave() const;

  private:
    QComboBox* form_ = nullptr;
    QSpinBox *bars_ = nullptr, *cycles_ = nullptr;
    NumberEdit *lowest_ = nullptr, *highest_ = nullptr;
};

class TogetherDialog : public QDialog {
    Q_OBJECT
  public:
    TogetherDialog(const Session& session, const CurvePlace& place, QWidget* parent = nullptr);
    [[nodiscard]] std::string movement() const;
    [[nodiscard]] double lowest() const;
    [[nodiscard]] double highest() const;
    // Whether it shall move by itself from here on.
    [[nodiscard]] bool alone() const { return alone_; }

  private:
    QComboBox* movement_ = nullptr;
    NumberEdit *lowest_ = nullptr, *highest_ = nullptr;
    bool alone_ = false;
};

}  // namespace ember::app
