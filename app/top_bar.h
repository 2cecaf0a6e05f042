// Transport, place, comparison and monitor, always in sight.
#pragma once

#include "app/player.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QSlider>
#include <QWidget>

namespace ember::app {

class TopBar : public QWidget {
    Q_OBJECT
  public:
    TopBar(Workspace& workspace, Player& player, QWidget* parent = nullptr);
    void tick();
    [[nodiscard]] CompareScope scope() const {
        return static_cast<CompareScope>(scope_->currentIndex());
    }
    void setComparing(bool before);
    void toggleLoop();

  signals:
    void compareAsked(bool before);

  private:
    void refresh();

    Workspace& workspace_;
    Player& player_;
    QLabel *name_ = nullptr, *place_ = nullptr, *compareNote_ = nullptr, *monitorNote_ = nullptr;
    QPushButton *play_ = nullptr, *start_ = nullptr, *loop_ = nullptr, *before_ = nullptr;
    QComboBox* scope_ = nullptr;
    QSlider* monitor_ = nullptr;
};

// "12.3 · 0:25.4" for a song time.
QString placeText(const Session& session, double seconds);

}  // namespace ember::app
