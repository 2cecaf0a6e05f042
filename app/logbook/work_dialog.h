// How the work stands: rows down, steps across, with state and minutes, and what a step may take.
#pragma once

#include "app/board/board.h"
#include "app/workers/tracer.h"
#include "app/workers/workspace.h"
#include "core/report/work_order.h"

#include <QDialog>
#include <QLabel>
#include <QTableWidget>

namespace ember::app {

class WorkDialog : public QDialog {
    Q_OBJECT
  public:
    WorkDialog(Workspace& workspace, Tracer& tracer, QWidget* parent = nullptr);
    [[nodiscard]] QTableWidget& table() { return *table_; }
    [[nodiscard]] QString text() const { return words_->text(); }

  signals:
    void chosen(const ember::app::BoardPlace& place);

  private:
    void fill();
    void activated(int line, int column);
    void budgetTyped(QTableWidgetItem* item);

    Workspace& workspace_;
    Tracer& tracer_;
    QLabel* words_ = nullptr;
    QTableWidget* table_ = nullptr;
    WorkOrder work_;
    bool filling_ = false;
};

}  // namespace ember::app
