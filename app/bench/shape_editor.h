// The bench of what presses, opens, shapes or bends: its curve, and what it did to the level.
//
// One editor for every processor whose whole character is a curve (shape_curve.h).
#pragma once

#include "app/bench/shape_curve.h"
#include "app/bench/stage_editor.h"

namespace ember::app {

class ShapeEditor : public StageEditor {
    Q_OBJECT
  public:
    ShapeEditor(Bench bench, const std::string& row, const std::string& stage, EditorSize size,
                QWidget* parent = nullptr);
    [[nodiscard]] Plot* mainPlot() const override { return curve_; }
    void tick() override;
    // Whether there is an editor of this kind for a type.
    [[nodiscard]] static bool edits(const std::string& type);

  protected:
    void redraw() override;

  private:
    void drawCurve();
    void drawHistory();
    [[nodiscard]] QString inWords(const StageTrace& trace) const;
    [[nodiscard]] QString noteText() const;
    [[nodiscard]] int indexOf(const char* parameter) const;

    ShapeCurve shape_;
    Plot* curve_ = nullptr;
    HistoryPlot* history_ = nullptr;
    QCPGraph *unity_ = nullptr, *line_ = nullptr, *now_ = nullptr;
};

}  // namespace ember::app
