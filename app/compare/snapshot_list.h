// The snapshots of a session as a list, and what one does with them.
#pragma once

#include "app/workers/clip_keeper.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QWidget>

namespace ember::app {

// Asks for a name and takes a snapshot; nothing happens when the person does not want to.
void askSnapshot(QWidget* parent, ClipKeeper& clips);

class SnapshotList : public QWidget {
    Q_OBJECT
  public:
    SnapshotList(Workspace& workspace, ClipKeeper& clips, QWidget* parent = nullptr);
    [[nodiscard]] QListWidget& list() { return *list_; }
    // Id of the one that is chosen; empty where there is none.
    [[nodiscard]] std::string chosen() const;

    // A mix of another session's file as a snapshot of this one: one of its own, or (empty) the mix
    // as it stands.
    void bring(const QString& file, const std::string& which);

  signals:
    // To be heard as the first (0) or the second (1) of two.
    void wanted(const std::string& snapshot, int side);

  private:
    void askOther();
    void refresh();
    void showChosen();
    void use();
    void rename();
    void judge();
    void drop();
    void showClip();

    Workspace& workspace_;
    ClipKeeper& clips_;
    QPushButton* clip_ = nullptr;
    QListWidget* list_ = nullptr;
    QLabel* empty_ = nullptr;
    QComboBox* verdict_ = nullptr;
    QLineEdit* note_ = nullptr;
    std::vector<QPushButton*> needing_;  // a snapshot that is chosen
};

}  // namespace ember::app
