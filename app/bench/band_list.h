// The bands of an equaliser as a list from low to high: what each does, where, and how much.
#pragma once

#include "core/dsp/equaliser.h"

#include <QPainterPath>
#include <QTreeWidget>

namespace ember::app {

// One band as it is read in a list or at its handle.
struct BandLine {
    int band = 0;  // its place in the parameter table
    EqBand value;
    QString name, why;  // why: empty where nobody gave a reason
};

// The shape of a band in a field of 18 by 14 around zero: a slope for a pass filter, a step for a
// shelf, a hill or dip for a bell, a wedge for a notch.
QPainterPath bandGlyph(const EqBand& band);
// "−3.0 dB at 196 Hz"; without gain where the shape has none.
QString bandFigures(const EqBand& band);
bool bandHasGain(EqShape shape);

// O switches a band, F2 names it, Delete takes it away.
class BandList : public QTreeWidget {
    Q_OBJECT
  public:
    explicit BandList(int mostRows, QWidget* parent = nullptr);
    // From low to high; `chosen` is marked where it is among them.
    void show(const std::vector<BandLine>& lines, int chosen, bool heard);

  signals:
    void chosen(int band);
    void switched(int band, bool on);
    void renamed(int band, const QString& name);
    void removed(int band);

  protected:
    void keyPressEvent(QKeyEvent* event) override;

  private:
    [[nodiscard]] int currentBand() const;

    int mostRows_;
};

}  // namespace ember::app
