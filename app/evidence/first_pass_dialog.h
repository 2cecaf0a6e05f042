// The first pass: everything that is proposed for the whole kit, in the order of the work, to be
// accepted by drum, by step, one by one or whole; always as one edit.
#pragma once

#include "app/workers/listener.h"

#include <QDialog>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTreeWidget>

namespace ember::app {

class FirstPassDialog : public QDialog {
    Q_OBJECT
  public:
    enum class Order { byStep, byDrum };

    FirstPassDialog(Workspace& workspace, Listener& listener, QWidget* parent = nullptr);
    [[nodiscard]] QTreeWidget& tree() { return *tree_; }
    void arrange(Order order);
    // How many are ticked.
    [[nodiscard]] int chosen() const;
    void acceptChosen();

  private:
    void fill();
    void layOut();
    void count();

    Workspace& workspace_;
    Listener& listener_;
    QTreeWidget* tree_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QLabel* sentence_ = nullptr;
    QPushButton *accept_ = nullptr, *buses_ = nullptr, *bleed_ = nullptr;
    Order order_ = Order::byStep;
    bool filling_ = false;
};

}  // namespace ember::app
