// The transient ledger of a row, and the order test of two neighbours: measured in the background,
// shown as a table with the stage that takes most punch marked.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "app/workers/player.h"
#include "core/report/ledger.h"

#include <QDialog>
#include <QLabel>
#include <QProgressBar>
#include <QTableWidget>

#include <atomic>
#include <memory>

namespace ember::app {

class LedgerDialog : public QDialog {
    Q_OBJECT
  public:
    // `stage` empty: the ledger of the row. Otherwise: that stage and the one after it, both ways.
    LedgerDialog(Workspace& workspace, Listener& listener, Player& player, const std::string& row,
                 const std::string& stage, QWidget* parent = nullptr);
    ~LedgerDialog() override;
    [[nodiscard]] QTableWidget& table() { return *table_; }
    [[nodiscard]] bool ready() const { return ready_; }
    [[nodiscard]] QString sentence() const { return sentence_->text(); }

  signals:
    void swapAsked();  // keep the other order

  private:
    struct Result {
        Ledger ledger;
        OrderTest order;
        QString failure;
    };
    void start();
    void finish();
    // Plays the other order, as loud as this one, from the next beat; or goes back.
    void hear(bool other);
    void sayHeard();
    void put(int line, const QString& label, const LedgerLine& value, const LedgerLine* before);

    Workspace& workspace_;
    Listener& listener_;
    Player& player_;
    std::string row_, stage_;
    QTableWidget* table_ = nullptr;
    QLabel* sentence_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QPushButton *swap_ = nullptr, *hear_ = nullptr, *play_ = nullptr;
    QLabel* heard_ = nullptr;
    Errand<void> running_;
    std::shared_ptr<Result> result_;
    std::atomic<bool> abandon_{false};
    bool ready_ = false;
};

}  // namespace ember::app
