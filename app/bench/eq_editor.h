// The equaliser on the bench: this row's spectrum before and after, and the bands to drag.
#pragma once

#include "app/bench/stage_editor.h"

#include <QButtonGroup>

namespace ember::app {

class EqEditor : public StageEditor {
    Q_OBJECT
  public:
    EqEditor(Bench bench, const std::string& row, const std::string& stage, EditorSize size,
             QWidget* parent = nullptr);
    [[nodiscard]] Plot* mainPlot() const override { return plot_; }
    void chooseBand(int band);
    [[nodiscard]] int band() const { return band_; }
    void tick() override;
    // The last sixth of a second of this row's recording, through the curve; empty when stopped.
    [[nodiscard]] const QCPGraph& live() const { return *live_; }

  protected:
    void redraw() override;
    bool eventFilter(QObject* object, QEvent* event) override;

  private:
    void buildNumbers();
    void drawCurves();
    void addBandAt(double frequency, double gain);

    Plot* plot_ = nullptr;
    QCPGraph *before_ = nullptr, *after_ = nullptr, *curve_ = nullptr, *bandCurve_ = nullptr,
             *ground_ = nullptr, *live_ = nullptr;
    std::shared_ptr<const Clip> clip_;
    QButtonGroup* buttons_ = nullptr;
    QWidget* bandFields_ = nullptr;
    std::vector<ParameterField*> bandRows_;
    int band_ = 0;
};

}  // namespace ember::app
