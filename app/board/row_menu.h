// What a row is, changed from the Board: its name, role, bus, and its other side.
#pragma once

#include "app/workers/player.h"
#include "app/workers/printer.h"
#include "core/measure/kit/kit_measure.h"

#include <QMenu>

#include <functional>
#include <memory>
#include <string>

namespace ember::app {

// Fills a menu for one row; every choice is one undoable edit, or opens a window of its own.
// `heard`: whose strokes count where the session has none; may be null.
void fillRowMenu(QMenu& menu, Workspace& workspace, Player& player, Printer& printer,
                 const std::string& row, std::shared_ptr<const KitMeasurement> heard = {});
// The buses a row may be sent to, those it is sent to ticked, and one that is new.
void fillSendMenu(QMenu& menu, Workspace& workspace, const std::string& row);
// What is done with a bus that was chosen, given by its id.
using UseOfBus = std::function<Session(Session, const std::string& bus)>;
// All buses but the main, and one that is new: choosing one is one undoable edit.
void fillBusMenu(QMenu& menu, Workspace& workspace, const UseOfBus& use);
// Asks for the name of a new bus and adds it, with nothing in it yet.
void askNewBus(QWidget* parent, Workspace& workspace);
// Asks by how much a row's print is shifted, and prints it to a row of its own.
void askPrint(QWidget* parent, Workspace& workspace, Printer& printer, const std::string& row);
// Asks for a row's name in a small window; nothing happens when it is cancelled.
void askName(QWidget* parent, Workspace& workspace, const std::string& row);

}  // namespace ember::app
