// Every key on one sheet: those of the menus as they are, and those of each page.
#pragma once

#include <QDialog>
#include <QLineEdit>
#include <QMenuBar>
#include <QTreeWidget>

namespace ember::app {

class KeySheet : public QDialog {
    Q_OBJECT
  public:
    explicit KeySheet(const QMenuBar& menus, QWidget* parent = nullptr);
    [[nodiscard]] QTreeWidget& keys() { return *keys_; }

  private:
    void addMenu(const QMenu& menu);
    void addPages();
    void filter(const QString& words);

    QLineEdit* words_ = nullptr;
    QTreeWidget* keys_ = nullptr;
};

}  // namespace ember::app
