// The library of sounds beside a stack: folders listened to in the background, searched by words,
// by drum and by likeness, heard, and taken into the stack.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/player.h"
#include "core/library/library.h"

#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QProgressBar>
#include <QPushButton>
#include <QTableWidget>

#include <atomic>
#include <memory>

namespace ember::app {

// Space hears the chosen sound or stops it, Enter takes it as a new layer, Ctrl+Enter in place of
// the chosen one; Esc closes.
class LibraryDialog : public QDialog {
    Q_OBJECT
  public:
    LibraryDialog(Workspace& workspace, Player& player, const std::filesystem::path& index,
                  QWidget* parent = nullptr);
    ~LibraryDialog() override;

    // Listens to folders; what was read stays where it is stopped.
    void scan(const std::vector<std::filesystem::path>& folders);
    [[nodiscard]] bool scanning() const { return scanning_.isRunning(); }
    // What is like a file, the most alike first.
    void showSimilar(const std::filesystem::path& file, const QString& name);
    [[nodiscard]] QTableWidget& table() { return *table_; }
    [[nodiscard]] QString state() const { return state_->text(); }
    [[nodiscard]] bool searching() const { return searching_.isRunning(); }

  signals:
    // A sound is wanted in the stack; `instead`: in place of the chosen layer.
    void taken(const QString& file, bool instead);
    // The chosen layer is what sounds are to be like.
    void likeAsked();

  protected:
    void keyPressEvent(QKeyEvent* event) override;
    bool eventFilter(QObject* object, QEvent* event) override;

  private:
    void build();
    void fillFolders();
    void search();
    void fill(const std::vector<LibraryMatch>& found, bool likeness);
    void hear();
    void finishScan();
    void finishSearch();
    [[nodiscard]] QString chosenFile() const;

    Workspace& workspace_;
    Player& player_;
    Library library_;
    QListWidget* folders_ = nullptr;
    QLineEdit* words_ = nullptr;
    QComboBox* drum_ = nullptr;
    QTableWidget* table_ = nullptr;
    QLabel* state_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QPushButton *scan_ = nullptr, *forget_ = nullptr, *take_ = nullptr, *instead_ = nullptr,
                *hear_ = nullptr;
    Errand<void> scanning_, searching_;
    struct Work {
        LibraryScan scan;
        std::vector<LibraryMatch> found;
        QString failure, name;
        std::atomic<int> done{0};
        std::atomic<bool> stop{false};
    };
    std::shared_ptr<Work> scanWork_, searchWork_;
};

}  // namespace ember::app
