// What leaves the house: mixes in up to three forms, stems, strokes and the recall sheet, named by
// one pattern; then progress that can be cancelled.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "core/report/deliver.h"
#include "core/report/recall.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>

#include <array>
#include <atomic>
#include <filesystem>
#include <vector>

namespace ember::app {

class DeliverDialog : public QDialog {
    Q_OBJECT
  public:
    // `remember`: it comes up as it was when something was delivered last.
    DeliverDialog(Workspace& workspace, Listener& listener, bool remember,
                  QWidget* parent = nullptr);
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
    // Also recall sheets. Throws Error where nothing is chosen, or names are wrong.
    [[nodiscard]] std::vector<std::filesystem::path> everyFile() const;
    [[nodiscard]] std::vector<std::filesystem::path> sheetFiles() const;
    [[nodiscard]] Session struck() const;  // with the strokes that were heard
    void bringBack();
    void keepChoices() const;
    void refresh();
    void askAndStart();
    void ended();

    Workspace& workspace_;
    Listener& listener_;
    QLineEdit *folder_ = nullptr, *names_ = nullptr;
    QLabel *example_ = nullptr, *state_ = nullptr;
    std::array<Form, 3> forms_;
    QComboBox* returns_ = nullptr;
    QCheckBox *stems_ = nullptr, *groups_ = nullptr, *strokes_ = nullptr, *shots_ = nullptr,
              *loopOnly_ = nullptr, *guests_ = nullptr;
    std::vector<QCheckBox*> sheets_;  // by kSheets
    QProgressBar* progress_ = nullptr;
    QPushButton *go_ = nullptr, *close_ = nullptr;
    Errand<void> running_;
    std::atomic<bool> abandon_{false};
    QString error_, finished_;
    RecallFigures recalled_;  // for the sheets that are being written
    bool remember_ = false;
};

}  // namespace ember::app
