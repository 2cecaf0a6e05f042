// What was done and why, with one's own notes; and what is looked at and written down before a mix
// leaves the house.
#pragma once

#include "app/logbook/deliver_panel.h"
#include "app/workers/workspace.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QTableWidget>
#include <QWidget>

namespace ember::app {

class LogbookPage : public QWidget {
    Q_OBJECT
  public:
    LogbookPage(Workspace& workspace, Player& player, Listener& listener,
                QWidget* parent = nullptr);
    [[nodiscard]] QTableWidget& table() { return *table_; }
    [[nodiscard]] DeliverPanel& deliver() { return *deliver_; }
    void find();  // the keyboard goes where one types words to look for

  signals:
    void workAsked();

  protected:
    void showEvent(QShowEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    enum Kind { everything, notes, decisions, unexplained };

    QWidget* makeLines();
    void fill();
    void fillRows();
    void fitRows();
    void writeDown();
    void explained(const QTableWidgetItem* item);
    [[nodiscard]] bool wanted(const LogEntry& entry) const;

    Workspace& workspace_;
    Player& player_;
    QLineEdit *find_ = nullptr, *note_ = nullptr;
    QComboBox *kind_ = nullptr, *row_ = nullptr, *about_ = nullptr;
    QTableWidget* table_ = nullptr;
    QLabel* count_ = nullptr;
    DeliverPanel* deliver_ = nullptr;
};

}  // namespace ember::app
