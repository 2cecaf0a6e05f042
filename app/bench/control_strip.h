// The controls of one's own on the bench of a row: each moves several parameters at once.
#pragma once

#include "app/workers/workspace.h"
#include "core/session/control.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QSlider>
#include <QToolButton>
#include <QWidget>

#include <string>
#include <vector>

namespace ember::app {

// One control, drawn as a bar with its name and where it stands. Arrows move it by 1 %, Page keys
// by 10; Enter, or the menu key, opens its menu.
class ControlBar : public QSlider {
    Q_OBJECT
  public:
    explicit ControlBar(QWidget* parent = nullptr);
    void show(const RowControl& control, const QString& moves);

  signals:
    void menuAsked(const QPoint& at);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

  private:
    QString name_;
    bool agrees_ = true;
    double grabbedAt_ = 0.0;  // px, where it was taken hold of
    int grabbed_ = 0;         // and what it was then
};

class ControlStrip : public QWidget {
    Q_OBJECT
  public:
    explicit ControlStrip(Workspace& workspace, QWidget* parent = nullptr);
    // Empty: none is shown.
    void setRow(const std::string& row);

  private:
    void refresh();
    void openMenu(const std::string& control, const QPoint& at);
    void edit(const std::string& control);

    Workspace& workspace_;
    std::string row_;
    QHBoxLayout* line_ = nullptr;
    QLabel* none_ = nullptr;
    QToolButton* make_ = nullptr;
    std::vector<ControlBar*> bars_;
    std::vector<std::string> names_;  // of the bars
};

}  // namespace ember::app
