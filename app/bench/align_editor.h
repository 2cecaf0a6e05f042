// Align on the bench: this mic's wave over its neighbour's, and their sum.
#pragma once

#include "app/bench/stage_editor.h"

namespace ember::app {

class AlignEditor : public StageEditor {
    Q_OBJECT
  public:
    AlignEditor(Bench bench, const std::string& row, const std::string& stage, EditorSize size,
                QWidget* parent = nullptr);
    [[nodiscard]] Plot* mainPlot() const override { return plot_; }

  protected:
    void redraw() override;

  private:
    void findStroke();

    Plot* plot_ = nullptr;
    QCPGraph *own_ = nullptr, *other_ = nullptr, *sum_ = nullptr;
    QLabel* legend_ = nullptr;
    std::shared_ptr<const Clip> clip_, reference_;
    Frames stroke_ = -1;  // song frame of a loud stroke
    std::string referenceId_;
};

}  // namespace ember::app
