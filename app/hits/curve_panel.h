// What moves along the song: which element, which parameter, and its curve.
#pragma once

#include "app/hits/curve_lane.h"

#include <QComboBox>
#include <QPushButton>

namespace ember::app {

class CurvePanel : public QWidget {
    Q_OBJECT
  public:
    CurvePanel(Workspace& workspace, Player& player, Listener& listener, TimeLine& line,
               QWidget* parent = nullptr);
    [[nodiscard]] CurveLane& lane() { return *lane_; }
    // Shows a parameter, whether a curve moves it or not.
    void show(const CurvePlace& place);
    void tick() { lane_->tick(); }

  private:
    void fillRows();
    void fillParameters();
    void refresh();
    void choose();
    void setBars(int bars);
    void openAtStrokes();
    void drawWave();
    void moveTogether();

    Workspace& workspace_;
    Listener& listener_;
    QComboBox *row_ = nullptr, *what_ = nullptr, *bars_ = nullptr;
    QPushButton *on_ = nullptr, *strokes_ = nullptr, *wave_ = nullptr, *together_ = nullptr,
                *clear_ = nullptr;
    std::vector<CurvePlace> places_;  // by index of what_
    CurveLane* lane_ = nullptr;
};

}  // namespace ember::app
