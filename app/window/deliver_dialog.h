// What leaves the house: mixes in up to three forms, stems and strokes, named by one pattern; then
// progress that can be cancelled.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "core/report/deliver.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>

#include <array>
#include <atomic>

namespace ember::app {

class DeliverDialog : public QDialog {
    Q_OBJECT
  public:
    DeliverDialog(Workspace& workspace, Listener& listener, QWidget* parent = nullptr);
    ~DeliverDialog() override;
    void setFolder(const QString& folder) { folder_->setText(folder); }
    void setNames(const QString& pattern) { names_->setText(pattern); }
    // Of the three mixes; without a kind (the first entry) it is none.
    void setMix(std::size_t which, int kind, int depth, int rate);
    void start();
    [[nodiscard]] bool running() const { return running_.isRunning(); }
    // As the dialog stands.
    [[nodiscard]] DeliveryOrder order() const;

  signals:
    void finishedWith(const QString& sentence, bool good);

  protected:
    void reject() override;

  private:
    struct Form {
        QComboBox *kind = nullptr, *depth = nullptr, *rate = nullptr;
    };

    QWidget* makeForm(std::size_t which);
    QCheckBox* makeCheck(const QString& text, const char* name, bool possible = true);
    void refresh();
    void askAndStart();
    void ended();

    Workspace& workspace_;
    Listener& listener_;
    QLineEdit *folder_ = nullptr, *names_ = nullptr;
    QLabel *example_ = nullptr, *state_ = nullptr;
    std::array<Form, 3> forms_;
    QCheckBox *stems_ = nullptr, *groups_ = nullptr, *strokes_ = nullptr, *shots_ = nullptr,
              *loopOnly_ = nullptr, *guests_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QPushButton *go_ = nullptr, *close_ = nullptr;
    Errand<void> running_;
    std::atomic<bool> abandon_{false};
    QString error_, finished_;
};

}  // namespace ember::app
