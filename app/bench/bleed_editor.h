// The bleed step of one microphone: what each drum in it is turned to, by drag and by number.
#pragma once

#include "app/bench/stage_editor.h"

namespace ember::app {

class BleedEditor : public StageEditor {
    Q_OBJECT
  public:
    BleedEditor(Bench bench, const std::string& row, const std::string& stage, EditorSize size,
                QWidget* parent = nullptr);
    [[nodiscard]] Plot* mainPlot() const override { return plot_; }

  protected:
    void redraw() override;

  private:
    [[nodiscard]] std::vector<std::string> drums() const;
    void turn(const std::string& drum, double db);

    Plot* plot_ = nullptr;
};

}  // namespace ember::app
