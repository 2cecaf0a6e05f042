// Align on the bench: this mic's wave over its neighbour's, and their sum.
#pragma once

#include "app/bench/stage_editor.h"
#include "app/bench/sum_meter.h"

namespace ember::app {

class AlignEditor : public StageEditor {
    Q_OBJECT
  public:
    AlignEditor(Bench bench, const std::string& row, const std::string& stage, EditorSize size,
                QWidget* parent = nullptr);
    [[nodiscard]] Plot* mainPlot() const override { return plot_; }
    // While playing the picture follows the loud strokes as they pass.
    void tick() override;
    [[nodiscard]] Frames strokeShown() const { return stroke_; }

  protected:
    void redraw() override;

  private:
    void openRecordings();

    Plot* plot_ = nullptr;
    QCPGraph *own_ = nullptr, *other_ = nullptr, *sum_ = nullptr;
    QLabel* legend_ = nullptr;
    SumMeter* meter_ = nullptr;
    std::shared_ptr<const Clip> clip_, reference_;
    Frames stroke_ = -1;    // song frame of the stroke shown
    float loudest_ = 0.0F;  // peak of this row's loudest stroke, linear
    std::string referenceId_;
};

}  // namespace ember::app
