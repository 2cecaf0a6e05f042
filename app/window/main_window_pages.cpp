// Where the window goes: its pages, and the dialogs over them.

#include "app/evidence/first_pass_dialog.h"
#include "app/logbook/work_dialog.h"
#include "app/window/main_window.h"

namespace ember::app {

void MainWindow::showBoard() {
    pages_->setCurrentWidget(board_);
    board_->setFocus();
}

void MainWindow::showFirstPass() {
    auto* dialog = findChild<FirstPassDialog*>();
    if (dialog == nullptr || !dialog->isVisible()) {
        dialog = new FirstPassDialog(workspace_, listener_, this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        dialog->show();
    }
    dialog->raise();
    dialog->activateWindow();
}

void MainWindow::showHits() {
    pages_->setCurrentWidget(hits_);
    hits_->timeLine().setFocus();
}

void MainWindow::showKit() {
    pages_->setCurrentWidget(kit_);
    kit_->image().setFocus();
}

void MainWindow::showFlow(FlowSide side) {
    pages_->setCurrentWidget(flow_);
    flow_->showSide(side);
}

void MainWindow::showLayers(const std::string& row) {
    const Row* of = findRow(workspace_.session(), row);
    layers_->open(of != nullptr && !of->layers.empty() ? row : layers_->row());
    pages_->setCurrentWidget(layers_);
    layers_->list().setFocus();
}

void MainWindow::showLogbook() {
    pages_->setCurrentWidget(logbook_);
    logbook_->find();
}

void MainWindow::showWork() {
    if (workspace_.empty()) return say(tr("Open a session first."));
    auto* dialog = new WorkDialog(workspace_, tracer_, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &WorkDialog::chosen, this, [this](const BoardPlace& place) {
        if (place.column) return showBench(place);
        showBoard();
        board_->select(place);
    });
    dialog->show();
}

void MainWindow::showCompare() {
    pages_->setCurrentWidget(compare_);
    compare_->snapshots().list().setFocus();
}

void MainWindow::showReference() {
    pages_->setCurrentWidget(reference_);
    reference_->focusFirst();
}

void MainWindow::showLedger() {
    const std::string& row = evidence_->place().row;
    if (findRow(workspace_.session(), row) == nullptr) return say(tr("Choose a row first."));
    auto* dialog = new LedgerDialog(workspace_, listener_, player_, row, {}, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->show();
}

void MainWindow::testOrder() {
    const BoardPlace& place = evidence_->place();
    const Row* row = findRow(workspace_.session(), place.row);
    const Cell cell = row != nullptr && place.column
                          ? cellOf(workspace_.session(), *row, *place.column, nullptr)
                          : Cell{};
    if (cell.stages.empty()) return say(tr("Choose a cell with a step first."));
    const std::string stage = cell.stages.back();
    auto* dialog = new LedgerDialog(workspace_, listener_, player_, place.row, stage, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &LedgerDialog::swapAsked, this,
            [this, id = place.row, stage] { workspace_.moveStage(id, stage, 1); });
    dialog->show();
}

void MainWindow::showBench(const BoardPlace& place) {
    if (place.column == Column::layers) {
        const Row* of = findRow(workspace_.session(), place.row);
        if (of == nullptr || of->layers.empty())
            return say(tr("%1 has no layers; put some under its drum on the Layers page.")
                           .arg(of != nullptr ? QString::fromStdString(of->name) : tr("This row")));
        return showLayers(place.row);
    }
    const Row* row = findRow(workspace_.session(), place.row);
    const bool fixed = place.column == Column::align || place.column == Column::seat;
    if (row != nullptr && fixed &&
        cellOf(workspace_.session(), *row, *place.column, nullptr).stages.empty()) {
        say(tr("%1 has no such step.").arg(QString::fromStdString(row->name)));
        return;
    }
    message_->clear();  // what was said about another step no longer holds
    bench_->open(place);
    pages_->setCurrentWidget(bench_);
    refreshEvidence();
}

}  // namespace ember::app
