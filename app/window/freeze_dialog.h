// What every row costs, and which are frozen.
#pragma once

#include "app/workers/player.h"
#include "app/workers/printer.h"
#include "core/report/row_costs.h"

#include <QDialog>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTableWidget>

#include <map>

namespace ember::app {

class FreezeDialog : public QDialog {
    Q_OBJECT
  public:
    FreezeDialog(Workspace& workspace, Player& player, Printer& printer, QWidget* parent = nullptr);
    ~FreezeDialog() override;

    [[nodiscard]] QTableWidget& table() { return *table_; }
    // Whether what every row costs is known.
    [[nodiscard]] bool measured() const { return !costs_.empty(); }

  private:
    void measure();
    void fill();
    void enable();
    void deleteOld();
    [[nodiscard]] std::vector<std::string> chosen() const;
    [[nodiscard]] QString stateOf(const Row& row) const;

    Workspace& workspace_;
    Player& player_;
    Printer& printer_;
    QTableWidget* table_ = nullptr;
    QLabel* sentence_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QPushButton *freeze_ = nullptr, *live_ = nullptr, *cancel_ = nullptr, *tidy_ = nullptr;
    std::vector<std::string> rows_;  // of the table
    std::map<std::string, double> costs_;
    Errand<Outcome<std::vector<RowCost>>> timing_;
    std::atomic<bool> abandon_{false};
};

}  // namespace ember::app
