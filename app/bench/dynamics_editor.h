// The compressor on the bench: its curve, and what it did to the level over time.
#pragma once

#include "app/bench/stage_editor.h"
#include "core/report/stroke_view.h"

#include <QFutureWatcher>
#include <QTimer>

namespace ember::app {

class DynamicsEditor : public StageEditor {
    Q_OBJECT
  public:
    DynamicsEditor(Bench bench, const std::string& row, const std::string& stage, EditorSize size,
                   QWidget* parent = nullptr);
    ~DynamicsEditor() override;
    [[nodiscard]] Plot* mainPlot() const override { return curve_; }
    [[nodiscard]] Plot* strokePlot() const { return stroke_; }
    void tick() override;

  protected:
    void redraw() override;

  private:
    void drawCurve();
    [[nodiscard]] std::string inWords() const;
    // One usual stroke in the background; drawn when it is there.
    void viewStroke();
    void drawStroke();
    QString drawRecovery(const StageTrace& t, const std::vector<double>& strokes);

    Plot* curve_ = nullptr;
    HistoryPlot* history_ = nullptr;
    QCPGraph *line_ = nullptr, *unity_ = nullptr, *now_ = nullptr;
    QCPGraph *recovered_ = nullptr, *late_ = nullptr;
    Plot* stroke_ = nullptr;  // one stroke before and after; only where there is room
    QCPGraph *before_ = nullptr, *after_ = nullptr, *fast_ = nullptr, *slow_ = nullptr,
             *foot_ = nullptr;
    QFutureWatcher<std::shared_ptr<const StrokeView>> viewing_;
    QTimer rest_;  // the picture follows when the hand rests
    std::shared_ptr<const StrokeView> view_;
};

}  // namespace ember::app
