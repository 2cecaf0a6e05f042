#include "app/board/row_menu.h"

#include "app/widgets/certainty.h"

#include <QInputDialog>

namespace ember::app {
namespace {

QString nameOf(const Row& row) {
    return QString::fromStdString(row.name);
}

void fillRoles(QMenu& menu, Workspace& workspace, const Row& row) {
    const auto add = [&](Role role, const QString& label) {
        QAction* action = menu.addAction(
            label, &workspace, [&workspace, id = row.id, role] { workspace.setRole(id, role); });
        action->setCheckable(true);
        action->setChecked(row.role == role);
    };
    // The likeliest first.
    if (isUnsure(row)) {
        for (const Likely& l : likeliest(row)) add(l.role, roleName(l.role));
        menu.addSeparator();
    }
    for (const Role role : rolesToChoose()) add(role, roleName(role));
}

void fillBuses(QMenu& menu, Workspace& workspace, const Row& row) {
    for (const Row& bus : workspace.session().rows) {
        if (hasSources(bus.kind) || bus.id == row.id) continue;
        QAction* action =
            menu.addAction(nameOf(bus), &workspace,
                           [&workspace, id = row.id, to = bus.id] { workspace.setBus(id, to); });
        action->setCheckable(true);
        action->setChecked(row.parent == bus.id);
    }
}

void fillPairs(QMenu& menu, Workspace& workspace, const Row& row) {
    for (const Row& other : workspace.session().rows) {
        if (!hasSources(other.kind) || other.id == row.id || other.sources.size() != 1 ||
            other.kind != row.kind)
            continue;
        menu.addAction(QObject::tr("%1 as its right side").arg(nameOf(other)), &workspace,
                       [&workspace, id = row.id, right = other.id] { workspace.pair(id, right); });
    }
    menu.setEnabled(!menu.isEmpty());
}

}  // namespace

void fillRowMenu(QMenu& menu, Workspace& workspace, const std::string& id) {
    const Row* row = findRow(workspace.session(), id);
    if (row == nullptr) return;
    menu.addAction(QObject::tr("Name …"), &menu,
                   [&menu, &workspace, id] { askName(menu.parentWidget(), workspace, id); })
        ->setShortcut(Qt::Key_F2);
    if (hasSources(row->kind)) fillRoles(*menu.addMenu(QObject::tr("Role")), workspace, *row);
    if (row->kind != RowKind::main && row->kind != RowKind::reference)
        fillBuses(*menu.addMenu(QObject::tr("Feeds")), workspace, *row);
    if (hasSources(row->kind) && row->sources.size() == 1)
        fillPairs(*menu.addMenu(QObject::tr("Pair with")), workspace, *row);
    if (row->sources.size() == 2) {
        menu.addAction(QObject::tr("Exchange left and right"), &workspace,
                       [&workspace, id] { workspace.exchangeSides(id); });
        menu.addAction(QObject::tr("Part into two rows"), &workspace,
                       [&workspace, id] { workspace.part(id); });
    }
}

void askName(QWidget* parent, Workspace& workspace, const std::string& id) {
    const Row* row = findRow(workspace.session(), id);
    if (row == nullptr) return;
    bool good = false;
    const QString name =
        QInputDialog::getText(parent, QObject::tr("Name of a row"),
                              QObject::tr("What people call “%1”:").arg(nameOf(*row)),
                              QLineEdit::Normal, nameOf(*row), &good);
    if (good) workspace.rename(id, name.toStdString());
}

}  // namespace ember::app
