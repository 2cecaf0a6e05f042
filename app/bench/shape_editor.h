// The bench of what presses, opens, shapes or bends: its curve, and what it did to the level.
//
// One editor for every processor whose whole character is a curve: level in against level out
// (expander, de-harsher, limiter), wave in against wave out (saturation, clipper, crusher), gain
// over one stroke (transient shaper, stroke pitch and length), or what it adds to the spectrum
// (exciter).
#pragma once

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
    enum class Kind { level, wave, stroke, envelope, spectrum };

    void setupAxes();
    void drawLevel();
    void drawWave();
    void drawStroke();
    void drawEnvelope();
    [[nodiscard]] QString noteText() const;
    void drawSpectrum();
    void drag(const QString& id, double x, double y);
    [[nodiscard]] int indexOf(const char* parameter) const;
    [[nodiscard]] double of(const char* parameter) const { return value(indexOf(parameter)); }
    [[nodiscard]] QColor lineColour() const;

    Kind kind_ = Kind::level;
    Plot* curve_ = nullptr;
    HistoryPlot* history_ = nullptr;
    QCPGraph *unity_ = nullptr, *line_ = nullptr, *now_ = nullptr;
};

}  // namespace ember::app
