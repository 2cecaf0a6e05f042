// The equaliser on the bench: this row's spectrum before and after, and the bands to drag.
#pragma once

#include "app/bench/band_list.h"
#include "app/bench/eq_tools.h"
#include "app/bench/stage_editor.h"
#include "core/dsp/equaliser.h"

#include <QToolButton>

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
    void buildFields();
    void addShape(EqShape shape);
    void listen(bool on);
    [[nodiscard]] std::vector<BandLine> bandLines() const;
    void showFields();
    void drawCurves();
    void drawCandidates();
    [[nodiscard]] QString whatItDoes() const;
    [[nodiscard]] QString lowMidsText() const;
    // Takes a band that is free and chooses it.
    void addBand(const EqFields& fields);
    // The drum's strokes alone, and what its neighbours leak between them, as far as they are
    // known.
    void readStrokes();
    // Sets fields of one band as one edit.
    void setBand(int band, const EqFields& fields, const std::string& gesture = {});

    static constexpr double kCurveDb = 18.0;  // the plot reaches so far up and down
    Plot* plot_ = nullptr;
    QCPGraph *before_ = nullptr, *after_ = nullptr, *curve_ = nullptr, *bandCurve_ = nullptr,
             *ground_ = nullptr, *live_ = nullptr, *far_ = nullptr;
    std::vector<QCPItemLine*> marks_;
    std::vector<QCPItemText*> markNames_;
    Spectrum own_, bleed_;                        // empty until the kit is known
    std::shared_ptr<const KitMeasurement> read_;  // what own_ and bleed_ were read by
    EqTools* tools_ = nullptr;                    // null in a compact editor
    std::shared_ptr<const Clip> clip_;
    BandList* list_ = nullptr;
    QLabel* nothing_ = nullptr;      // instead of the list, while there is no band
    QToolButton* ear_ = nullptr;     // plays the chosen band alone; null in a compact editor
    QWidget* bandFields_ = nullptr;  // of the band that is chosen
    std::vector<ParameterField*> bandRows_;
    int band_ = 0;
};

}  // namespace ember::app
