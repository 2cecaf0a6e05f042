// One key a group: falls silent and comes back; and one for every effect.
#pragma once

#include "app/workers/player.h"
#include "app/workers/workspace.h"

#include <QMenu>

#include <array>

namespace ember::app {

class GroupMenu : public QMenu {
    Q_OBJECT
  public:
    // `remember`: whether the way of changing is kept for the next start.
    GroupMenu(Workspace& workspace, Player& player, bool remember, QWidget* parent = nullptr);
    // The buses, in the Board's order, that have a key.
    static constexpr int kMostGroups = 9;
    [[nodiscard]] QAction& group(int place) { return *groups_[static_cast<std::size_t>(place)]; }
    [[nodiscard]] QAction& effects() { return *effects_; }
    [[nodiscard]] QAction& onBeat() { return *onBeat_; }

  signals:
    void said(const QString& sentence);

  private:
    void refresh();
    void turn(int place);
    void turnEffects();
    [[nodiscard]] QString when() const;

    Workspace& workspace_;
    Player& player_;
    std::array<QAction*, kMostGroups> groups_{};
    std::array<std::string, kMostGroups> ids_;
    QAction *effects_ = nullptr, *onBeat_ = nullptr;
};

}  // namespace ember::app
