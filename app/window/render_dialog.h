// Render: what, how deep, where to; then progress that can be cancelled.
#pragma once

#include "app/workers/workspace.h"
#include "core/engine/render.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QFutureWatcher>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>

#include <atomic>

namespace ember::app {

class RenderDialog : public QDialog {
    Q_OBJECT
  public:
    explicit RenderDialog(Workspace& workspace, QWidget* parent = nullptr);
    ~RenderDialog() override;
    void setTarget(const QString& file) { file_->setText(file); }
    void start();
    [[nodiscard]] bool running() const { return running_.isRunning(); }
    [[nodiscard]] QString result() const { return state_->text(); }

  signals:
    void finishedWith(const QString& sentence, bool good);

  protected:
    void reject() override;

  private:
    void ended();

    Workspace& workspace_;
    QLineEdit* file_ = nullptr;
    QComboBox* depth_ = nullptr;
    QCheckBox *stems_ = nullptr, *loopOnly_ = nullptr, *guests_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QLabel* state_ = nullptr;
    QPushButton *render_ = nullptr, *close_ = nullptr;
    QFutureWatcher<void> running_;
    std::atomic<bool> abandon_{false};
    QString error_, finished_;
};

}  // namespace ember::app
