#include "app/board/row_menu.h"

#include "app/board/ceiling_dialog.h"
#include "app/board/row_report_dialog.h"
#include "app/widgets/certainty.h"
#include "core/session/bleed.h"
#include "core/session/layers.h"
#include "core/session/printed.h"
#include "core/session/recipe.h"
#include "core/session/routing.h"
#include "core/session/split.h"

#include <QApplication>
#include <QInputDialog>

namespace ember::app {
namespace {

QString nameOf(const Row& row) {
    return QString::fromStdString(row.name);
}

// Asks for the name of a bus that is new and adds it; `use` says what the row has to do with it.
void makeNewBus(QWidget* parent, Workspace& workspace, const UseOfBus& use) {
    const std::string name =
        QInputDialog::getText(parent, QObject::tr("New bus"), QObject::tr("What people call it:"),
                              QLineEdit::Normal)
            .trimmed()
            .toStdString();
    if (name.empty()) return;  // nobody wants one any more
    workspace.attempt([&] {
        const std::string bus = makeRowId(workspace.session(), name);
        return use(withBusAdded(workspace.session(), name), bus);
    });
}

void addNewBus(QMenu& menu, Workspace& workspace, const UseOfBus& use) {
    menu.addSeparator();
    menu.addAction(QObject::tr("New bus …"), &workspace,
                   [&workspace, use] { makeNewBus(QApplication::activeWindow(), workspace, use); });
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
    addNewBus(menu, workspace, [id = row.id](Session session, const std::string& bus) {
        return withBus(std::move(session), id, bus);
    });
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

// A row as audio: frozen, or beside the mix in a row of its own.
void addPrints(QMenu& menu, Workspace& workspace, Printer& printer, const Row& row) {
    menu.addSeparator();
    const bool fits = row.frozen && printFits(workspace.session(), row);
    if (!fits)
        menu.addAction(row.frozen ? QObject::tr("Freeze anew") : QObject::tr("Freeze"), &printer,
                       [&printer, id = row.id] { printer.freeze({id}); })
            ->setToolTip(QObject::tr("Plays audio that is printed of it, in place of its chain."));
    if (row.frozen)
        menu.addAction(fits ? QObject::tr("Play live") : QObject::tr("Forget its print"), &printer,
                       [&printer, id = row.id] { printer.playLive({id}); });
    menu.addAction(QObject::tr("Print to a row of its own …"), &printer,
                   [&workspace, &printer, id = row.id] {
                       askPrint(QApplication::activeWindow(), workspace, printer, id);
                   });
    if (!row.printed) return;
    const bool fresh = printedIsNew(workspace.session(), row);
    QAction* again = menu.addAction(fresh ? QObject::tr("Print anew (nothing has changed)")
                                          : QObject::tr("Print anew: it was changed"),
                                    &printer, [&printer, id = row.id] {
                                        printer.print({{id, PrintJob::For::again}});
                                    });
    again->setEnabled(!fresh && findRow(workspace.session(), row.printed->row) != nullptr);
}

// A row in streams with chains of their own, and back.
void addSplits(QMenu& menu, Workspace& workspace, const Row& row) {
    if (!splitOf(workspace.session(), row.id).empty()) {
        menu.addAction(
            QObject::tr("Join what it was split into"), &workspace, [&workspace, id = row.id] {
                workspace.attempt([&] { return withSplitJoined(workspace.session(), id); });
            });
        return;
    }
    QMenu* kinds = menu.addMenu(QObject::tr("Split"));
    for (const SplitKind& kind : splitKinds())
        kinds->addAction(
            QString::fromStdString(kind.label), &workspace,
            [&workspace, id = row.id, by = kind.id] {
                workspace.attempt([&] { return withSplit(workspace.session(), id, by); });
            });
}

}  // namespace

void askPrint(QWidget* parent, Workspace& workspace, Printer& printer, const std::string& id) {
    const Row* row = findRow(workspace.session(), id);
    if (row == nullptr) return;
    bool good = false;
    const double semitones = QInputDialog::getDouble(
        parent, QObject::tr("Print to a row of its own"),
        QObject::tr("“%1” is printed behind its chain to a row that plays in its place;\n"
                    "it is muted itself. Shifted by so many semitones:")
            .arg(nameOf(*row)),
        0.0, kLowestShift, kHighestShift, 1, &good, {}, 1.0);
    if (good) printer.print({{id, PrintJob::For::anotherRow, semitones}});
}

void askNewBus(QWidget* parent, Workspace& workspace) {
    makeNewBus(parent, workspace, [](Session session, const std::string&) { return session; });
}

void fillBusMenu(QMenu& menu, Workspace& workspace, const UseOfBus& use) {
    for (const Row& bus : workspace.session().rows) {
        if (bus.kind != RowKind::bus) continue;
        menu.addAction(nameOf(bus), &workspace, [&workspace, use, id = bus.id] {
            workspace.attempt([&] { return use(workspace.session(), id); });
        });
    }
    addNewBus(menu, workspace, use);
}

void fillSendMenu(QMenu& menu, Workspace& workspace, const std::string& id) {
    const Row* found = findRow(workspace.session(), id);
    if (found == nullptr) return;
    const Row& row = *found;
    for (const Row& bus : workspace.session().rows) {
        if (hasSources(bus.kind) || bus.id == row.id || bus.id == row.parent) continue;
        const bool sent = findSend(row, bus.id) != nullptr;
        QAction* action =
            menu.addAction(nameOf(bus), &workspace, [&workspace, id = row.id, to = bus.id, sent] {
                sent ? workspace.removeSend(id, to) : workspace.setSend(id, {to});
            });
        action->setCheckable(true);
        action->setChecked(sent);
    }
    addNewBus(menu, workspace, [id = row.id](Session session, const std::string& bus) {
        return withSend(std::move(session), id, {bus});
    });
}

void fillRowMenu(QMenu& menu, Workspace& workspace, Player& player, Printer& printer,
                 const std::string& id, std::shared_ptr<const KitMeasurement> heard) {
    const Row* row = findRow(workspace.session(), id);
    if (row == nullptr) return;
    menu.addAction(QObject::tr("Name …"), &menu,
                   [&menu, &workspace, id] { askName(menu.parentWidget(), workspace, id); })
        ->setShortcut(Qt::Key_F2);
    if (hasSources(row->kind)) fillRoles(*menu.addMenu(QObject::tr("Role")), workspace, *row);
    if (row->kind != RowKind::main && row->kind != RowKind::reference) {
        fillBuses(*menu.addMenu(QObject::tr("Feeds")), workspace, *row);
        fillSendMenu(*menu.addMenu(QObject::tr("Sends to")), workspace, id);
        addSplits(menu, workspace, *row);
    }
    if (row->kind != RowKind::main && row->kind != RowKind::reference) {
        addPrints(menu, workspace, printer, *row);
        menu.addAction(QObject::tr("How it adds up …"), &workspace, [&workspace, &player, id] {
            showRowReport(workspace, player, addsUpReport(workspace.session(), id),
                          QApplication::activeWindow());
        });
    }
    if (!hasSources(row->kind)) {
        menu.addAction(QObject::tr("Who is heard …"), &workspace, [&workspace, &player, id] {
            showRowReport(workspace, player, busCheckReport(workspace.session(), id),
                          QApplication::activeWindow());
        });
        menu.addAction(QObject::tr("As a whole …"), &workspace, [&workspace, &player, id] {
            showRowReport(workspace, player, busWholeReport(workspace.session(), id),
                          QApplication::activeWindow());
        });
        menu.addAction(QObject::tr("Its spectrum, and a line over it …"), &workspace,
                       [&workspace, &player, id] {
                           auto* dialog = new CeilingDialog(workspace, player, id,
                                                            QApplication::activeWindow());
                           dialog->setAttribute(Qt::WA_DeleteOnClose);
                           dialog->show();
                       });
        if (row->kind == RowKind::main)
            menu.addAction(QObject::tr("Push it until it breaks …"), &workspace,
                           [&workspace, &player, heard] {
                               showRowReport(workspace, player, driveReport(heard),
                                             QApplication::activeWindow());
                           });
        menu.addAction(QObject::tr("What it does to the punch …"), &workspace,
                       [&workspace, &player, id, heard = std::move(heard)] {
                           showRowReport(workspace, player,
                                         punchReport(workspace.session(), heard, id),
                                         QApplication::activeWindow());
                       });
    }
    menu.addSeparator();
    if (row->kind == RowKind::bus)
        menu.addAction(QObject::tr("Remove this bus"), &workspace,
                       [&workspace, id] { workspace.removeBus(id); });
    if (hasSources(row->kind))
        menu.addAction(QObject::tr("Remove this row"), &workspace, [&workspace, id] {
            workspace.attempt([&] { return withRowRemoved(workspace.session(), id); });
        });
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
