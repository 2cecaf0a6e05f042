// A stack printed to samples: how many, where to, and how far it is.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/watch.h"
#include "app/workers/workspace.h"
#include "core/report/print_stack.h"

#include <QCheckBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QSpinBox>

#include <atomic>

namespace ember::app {

class PrintStackDialog : public QDialog {
    Q_OBJECT
  public:
    PrintStackDialog(Workspace& workspace, std::string row, QWidget* parent = nullptr);
    ~PrintStackDialog() override;

    void setFolder(const QString& folder) { folder_->setText(folder); }
    [[nodiscard]] bool printing() const { return running_.isRunning(); }
    [[nodiscard]] QString text() const { return sentence_->text(); }

  protected:
    void reject() override;  // while it prints: stops that

  private:
    void print();
    void finish();

    Workspace& workspace_;
    std::string row_;
    QLineEdit* folder_ = nullptr;
    QSpinBox *steps_ = nullptr, *variations_ = nullptr;
    QDoubleSpinBox* longest_ = nullptr;
    QCheckBox* flac_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QLabel* sentence_ = nullptr;
    QPushButton *go_ = nullptr, *close_ = nullptr;
    Errand<Outcome<StackPrint>> running_;
    std::atomic<bool> abandon_{false};
};

}  // namespace ember::app
