// The compressor on the bench: its curve, and what it did to the level over time.
#pragma once

#include "app/bench/stage_editor.h"

namespace ember::app {

class DynamicsEditor : public StageEditor {
    Q_OBJECT
  public:
    DynamicsEditor(Bench bench, const std::string& row, const std::string& stage, EditorSize size,
                   QWidget* parent = nullptr);
    [[nodiscard]] Plot* mainPlot() const override { return curve_; }
    void tick() override;

  protected:
    void redraw() override;

  private:
    void drawCurve();
    [[nodiscard]] std::string inWords() const;
    QString drawRecovery(const StageTrace& t, const std::vector<double>& strokes);

    Plot* curve_ = nullptr;
    HistoryPlot* history_ = nullptr;
    QCPGraph *line_ = nullptr, *unity_ = nullptr, *now_ = nullptr;
    QCPGraph *recovered_ = nullptr, *late_ = nullptr;
};

}  // namespace ember::app
