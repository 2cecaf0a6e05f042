// The song in one strip: the mix as it sounds, the playhead, and the loop to drag.
#pragma once

#include "app/workers/player.h"
#include "app/workers/tracer.h"

#include <QWidget>

namespace ember::app {

class Overview : public QWidget {
    Q_OBJECT
  public:
    Overview(Workspace& workspace, Player& player, Tracer& tracer, QWidget* parent = nullptr);
    void tick();
    [[nodiscard]] double secondsAt(double x) const;
    [[nodiscard]] double xAt(double seconds) const;

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    enum class Drag { none, pending, fresh, from, to };
    void redrawWave();
    [[nodiscard]] double onBeat(double seconds) const;

    Workspace& workspace_;
    Player& player_;
    Tracer& tracer_;
    QPixmap wave_;
    TimeMap drawn_;  // by which its bars stand
    Drag drag_ = Drag::none;
    double grabbed_ = 0.0;
    int playheadAt_ = -1;
};

}  // namespace ember::app
