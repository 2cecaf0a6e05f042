// The compressor on the bench: its curve, and what it did to the level over time.
#pragma once

#include "app/bench/stage_editor.h"
#include "app/workers/errand.h"
#include "core/measure/level/press.h"
#include "core/report/key_view.h"
#include "core/report/press_view.h"

#include <QTimer>

namespace ember::app {

class DynamicsEditor : public StageEditor {
    Q_OBJECT
  public:
    DynamicsEditor(Bench bench, const std::string& row, const std::string& stage, EditorSize size,
                   QWidget* parent = nullptr);
    ~DynamicsEditor() override;
    [[nodiscard]] Plot* mainPlot() const override { return curve_; }
    [[nodiscard]] Plot* strokePlot() const { return strip()->plot(); }
    [[nodiscard]] Plot* detectorPlot() const { return detector_; }
    void tick() override;

  protected:
    void redraw() override;

  private:
    void drawCurve();
    [[nodiscard]] std::string inWords() const;
    [[nodiscard]] QString inSeries() const;
    void buildDetector();
    // A session with a transient shaper that does the same; false where none does.
    bool playShaper();
    // Faster and slower settings, in the background; drawn when they are there.
    void viewPressing();
    void drawPressing();
    void drawLines(const StrokeLines& lines);
    void hearDrums();
    void drawDetector();
    QString drawRecovery(const StageTrace& t, const std::vector<double>& strokes);

    Plot* curve_ = nullptr;
    HistoryPlot* history_ = nullptr;
    QCPGraph *line_ = nullptr, *unity_ = nullptr, *now_ = nullptr;
    QCPGraph *recovered_ = nullptr, *late_ = nullptr;
    QCPGraph *quick_ = nullptr, *lazy_ = nullptr;
    QCPItemLine *peakLine_ = nullptr, *bodyLine_ = nullptr;
    QCPItemText *peakName_ = nullptr, *bodyName_ = nullptr;
    Plot* detector_ = nullptr;  // only where there is room
    QToolButton* sweep_ = nullptr;
    Errand<std::shared_ptr<const PressView>> pressing_;
    QTimer rest_;  // the picture follows when the hand rests
    std::shared_ptr<const PressView> press_;
    Errand<std::vector<KeyDrum>> hearing_;
    std::vector<KeyDrum> drums_;  // in what the detector hears
    std::shared_ptr<const KitMeasurement> heardOf_;
    std::string heardRow_;
};

}  // namespace ember::app
