// What a control of one's own is called and moves: parameters of a row, each between two values.
#pragma once

#include "app/workers/workspace.h"
#include "core/session/control.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>

#include <string>
#include <vector>

namespace ember::app {

// Every change in it is an edit of the session. A control begins with its first parameter and ends
// with its last.
class ControlDialog : public QDialog {
    Q_OBJECT
  public:
    // `control` empty: a new one.
    ControlDialog(Workspace& workspace, std::string row, const std::string& control,
                  QWidget* parent = nullptr);
    [[nodiscard]] QTableWidget& table() { return *table_; }

  private:
    struct Place {
        std::string stage, parameter;
    };
    void fill();
    void fillChoice();
    void rename();
    void add();
    void remove();
    void typed(const QTableWidgetItem* item);
    void refuse(const QString& sentence);
    // An edit of the control; says below why it cannot be.
    void change(const std::function<Session()>& make);
    [[nodiscard]] std::string freeName() const;

    Workspace& workspace_;
    std::string row_, control_;
    QLineEdit* name_ = nullptr;
    QCheckBox* together_ = nullptr;
    QTableWidget* table_ = nullptr;
    QComboBox* choice_ = nullptr;
    QPushButton *add_ = nullptr, *remove_ = nullptr;
    QLabel* problem_ = nullptr;
    std::vector<Place> lines_, choices_;  // of the table; of what may be added
    bool filling_ = false;
};

}  // namespace ember::app
