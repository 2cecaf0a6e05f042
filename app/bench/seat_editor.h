// The seat on the bench: where this row sits among the others, and how loud it is.
#pragma once

#include "app/bench/send_list.h"
#include "app/bench/stage_editor.h"
#include "app/widgets/level_meter.h"

namespace ember::app {

class SeatEditor : public StageEditor {
    Q_OBJECT
  public:
    SeatEditor(Bench bench, const std::string& row, const std::string& stage, EditorSize size,
               QWidget* parent = nullptr);
    [[nodiscard]] Plot* mainPlot() const override { return plot_; }
    void tick() override;

  protected:
    void redraw() override;

  private:
    Plot* plot_ = nullptr;
    QCPGraph* others_ = nullptr;
    LevelMeter* meter_ = nullptr;
    SendList* sends_ = nullptr;  // where the row goes anywhere
    std::vector<QCPItemText*> names_;
};

}  // namespace ember::app
