// Hits: the kit's strokes on their recordings, to step through, filter, correct and export.
#pragma once

#include "app/hits/curve_panel.h"
#include "app/hits/pattern_menu.h"
#include "app/hits/time_line.h"
#include "app/hits/time_menu.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>

namespace ember::app {

class HitsPage : public QWidget {
    Q_OBJECT
  public:
    HitsPage(Workspace& workspace, Player& player, Listener& listener, QWidget* parent = nullptr);
    [[nodiscard]] TimeLine& timeLine() { return *line_; }
    // Writes the strokes that the filter takes, CSV or MIDI by the file's ending. Says what went
    // wrong through said().
    bool exportTo(const QString& path);
    void tick();
    // The curve of a parameter, under the time line.
    void showCurve(const CurvePlace& place);
    [[nodiscard]] CurvePanel& curves() { return *curves_; }
    [[nodiscard]] PatternMenu& pattern() { return *notes_; }

  signals:
    void said(const QString& sentence, bool problem);

  private:
    void refresh();
    void filterChanged();
    void chooseExport();

    Workspace& workspace_;
    Player& player_;
    Listener& listener_;
    TimeLine* line_ = nullptr;
    QComboBox *drum_ = nullptr, *kind_ = nullptr;
    QPushButton *bleed_ = nullptr, *draw_ = nullptr, *song_ = nullptr, *bar_ = nullptr,
                *export_ = nullptr;
    QToolButton* tempo_ = nullptr;
    TimeMenu* time_ = nullptr;
    QToolButton* pattern_ = nullptr;
    PatternMenu* notes_ = nullptr;
    QLabel *count_ = nullptr, *chosen_ = nullptr;
    CurvePanel* curves_ = nullptr;
};

}  // namespace ember::app
