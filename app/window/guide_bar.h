// A first walk through the window, one step at a time, below whatever is shown.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QString>

#include <functional>
#include <vector>

namespace ember::app {

struct GuideStep {
    QString title, text;
    std::function<void()> show;  // brings what it is about on the screen
};

// Hidden until it is begun; the work goes on under it.
class GuideBar : public QFrame {
    Q_OBJECT
  public:
    explicit GuideBar(std::vector<GuideStep> walk, QWidget* parent = nullptr);
    void begin();
    [[nodiscard]] int step() const { return at_; }
    [[nodiscard]] int steps() const { return static_cast<int>(steps_.size()); }

  signals:
    void ended();

  private:
    void go(int step);

    std::vector<GuideStep> steps_;
    int at_ = 0;
    QLabel *title_ = nullptr, *text_ = nullptr;
    QPushButton *back_ = nullptr, *next_ = nullptr;
};

}  // namespace ember::app
