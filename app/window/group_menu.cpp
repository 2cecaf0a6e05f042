#include "app/window/group_menu.h"

#include "core/session/routing.h"

#include <QSettings>

namespace ember::app {
namespace {

constexpr char kOnBeat[] = "sound/groups-on-beat";

}  // namespace

GroupMenu::GroupMenu(Workspace& workspace, Player& player, bool remember, QWidget* parent)
    : QMenu(tr("Groups and effects"), parent), workspace_(workspace), player_(player) {
    setObjectName("group-menu");
    for (int n = 0; n < kMostGroups; ++n) {
        QAction* action = addAction(QString());
        action->setShortcut(QKeySequence(Qt::CTRL | static_cast<Qt::Key>(Qt::Key_1 + n)));
        connect(action, &QAction::triggered, this, [this, n] { turn(n); });
        groups_[static_cast<std::size_t>(n)] = action;
    }
    addSeparator();
    effects_ = addAction(QString());
    effects_->setShortcut(QKeySequence(Qt::CTRL | Qt::Key_0));
    effects_->setToolTip(
        tr("What is sent anywhere beside a row’s own bus, reverbs and delays; the rest is heard as "
           "loud as it all was."));
    connect(effects_, &QAction::triggered, this, &GroupMenu::turnEffects);
    onBeat_ = addAction(tr("From the next beat on"));
    onBeat_->setCheckable(true);
    connect(onBeat_, &QAction::toggled, this, [this, remember](bool on) {
        player_.setOnBeat(on);
        if (remember) QSettings().setValue(kOnBeat, on);
    });
    onBeat_->setChecked(remember && QSettings().value(kOnBeat, false).toBool());
    setToolTipsVisible(true);
    connect(&workspace_, &Workspace::opened, this, &GroupMenu::refresh);
    connect(&workspace_, &Workspace::changed, this, &GroupMenu::refresh);
    connect(&player_, &Player::compareChanged, this, &GroupMenu::refresh);
    refresh();
}

void GroupMenu::refresh() {
    int place = 0;
    for (const Row& row : workspace_.session().rows) {
        if (row.kind != RowKind::bus || place == kMostGroups) continue;
        ids_[static_cast<std::size_t>(place)] = row.id;
        // What stands before a letter would be taken for its key.
        const QString name = QString::fromStdString(row.name).replace('&', QStringLiteral("&&"));
        group(place).setText((row.mute ? tr("Return %1") : tr("Mute %1")).arg(name));
        ++place;
    }
    for (int n = 0; n < kMostGroups; ++n) group(n).setVisible(n < place);
    effects_->setText(player_.hearingWithoutEffects() ? tr("Bring the effects back")
                                                      : tr("Take all effects out"));
    effects_->setEnabled(!workspace_.empty());
}

QString GroupMenu::when() const {
    return player_.playing() && onBeat_->isChecked() ? tr(" from the next beat on") : QString();
}

void GroupMenu::turn(int place) {
    const Row* row = findRow(workspace_.session(), ids_[static_cast<std::size_t>(place)]);
    if (row == nullptr) return;
    const QString sentence = (row->mute ? tr("%1 is heard again%2.") : tr("%1 is silent%2."))
                                 .arg(QString::fromStdString(row->name), when());
    player_.moveWhenWanted([&] { workspace_.setMute(row->id, !row->mute); });
    emit said(sentence);
}

void GroupMenu::turnEffects() {
    const bool out = !player_.hearingWithoutEffects();
    if (out && !hasEffects(workspace_.session())) {
        emit said(
            tr("There are no effects: nothing is sent to a bus, and no chain has a reverb or "
               "a delay that is on."));
        return;
    }
    player_.compare(out, CompareScope::effects, {}, {});
}

}  // namespace ember::app
