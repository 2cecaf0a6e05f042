// What was done in this session, line by line, as the logbook keeps it.
#pragma once

#include "app/workers/workspace.h"

#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QTableWidget>

namespace ember::app {

class LogbookDialog : public QDialog {
    Q_OBJECT
  public:
    explicit LogbookDialog(Workspace& workspace, QWidget* parent = nullptr);

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    void fill();
    void fitRows();

    Workspace& workspace_;
    QLineEdit* find_ = nullptr;
    QTableWidget* table_ = nullptr;
    QLabel* count_ = nullptr;
};

}  // namespace ember::app
