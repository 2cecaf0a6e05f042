// The gate on the bench: which strokes open it, and how it opens.
#pragma once

#include "app/bench/stage_editor.h"
#include "core/report/gate_trials.h"

namespace ember::app {

class GateEditor : public StageEditor {
    Q_OBJECT
  public:
    GateEditor(Bench bench, const std::string& row, const std::string& stage, EditorSize size,
               QWidget* parent = nullptr);
    ~GateEditor() override;
    [[nodiscard]] Plot* mainPlot() const override { return history_; }
    [[nodiscard]] Plot* shapePlot() const { return shape_; }
    void tick() override;

  protected:
    void redraw() override;

  private:
    void buildHistory();
    void buildShape();
    void buildTrials();
    // Attacks and look-aheads tried on one stroke, in a dialog.
    void showTrials();
    void drawStrokes(const StageTrace& t);
    void drawShape();
    [[nodiscard]] bool byStrokes() const;
    // Times of the strokes that open it, seconds of song time.
    [[nodiscard]] std::vector<double> keyStrokes() const;
    void moved(const QString& id, double x, double y);
    void resetHandle(const QString& id);

    HistoryPlot* history_ = nullptr;
    Plot* shape_ = nullptr;
    QCPGraph *opened_ = nullptr, *stayed_ = nullptr, *curve_ = nullptr, *burst_ = nullptr;
    QCPItemText* state_ = nullptr;
    QPushButton* trials_ = nullptr;
    Errand<std::vector<GateTrial>> trying_;
    std::vector<float> through_;  // level after the gate, linear
};

}  // namespace ember::app
