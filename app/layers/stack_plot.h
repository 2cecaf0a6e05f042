// A stack at the sample's scale: the waves of its layers over one another with their sum, and their
// spectra.
#pragma once

#include "app/bench/plot.h"
#include "core/report/stack_report.h"
#include "core/session/session.h"

#include <QWidget>

namespace ember::app {

class StackPlot : public QWidget {
    Q_OBJECT
  public:
    explicit StackPlot(QWidget* parent = nullptr);
    // `chosen`: the layer whose offset can be dragged, by id.
    void show(const StackPicture& picture, const Row& row, const std::string& chosen);
    void clear();
    void refreshLook();
    [[nodiscard]] Plot& waves() { return *waves_; }
    [[nodiscard]] Plot& spectra() { return *spectra_; }

  signals:
    void offsetMoved(double ms);
    void offsetReleased();
    void offsetReset();

  private:
    void draw();

    Plot *waves_ = nullptr, *spectra_ = nullptr;
    StackPicture picture_;
    Row row_;
    std::string chosen_;
};

}  // namespace ember::app
