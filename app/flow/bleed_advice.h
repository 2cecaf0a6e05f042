// What is proposed for the bleed of the kit's microphones, one microphone at a time.
#pragma once

#include "app/workers/listener.h"

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QWidget>

#include <string>

namespace ember::app {

class BleedAdvice : public QWidget {
    Q_OBJECT
  public:
    BleedAdvice(Workspace& workspace, Listener& listener, QWidget* parent = nullptr);
    // The microphone that is chosen; `ready`: the kit is taken apart.
    void show(const std::string& row, bool ready);

  private:
    void refresh();
    void fillEffects(const Proposal* proposal);

    Workspace& workspace_;
    Listener& listener_;
    std::string row_;
    bool ready_ = false, asked_ = false;
    QComboBox* school_;
    QPushButton *propose_, *accept_, *decline_, *all_;
    QLabel *title_, *reason_, *state_, *worth_;
    QWidget* effects_;
    QGridLayout* lines_;
};

}  // namespace ember::app
