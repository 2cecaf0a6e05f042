// Intake: drop files, look at what they were taken for, correct it, go.
#pragma once

#include "app/workspace.h"
#include "core/advise/intake.h"

#include <QFutureWatcher>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QStackedWidget>
#include <QTableWidget>

#include <atomic>
#include <functional>
#include <memory>

namespace ember::app {

class IntakePage : public QWidget {
    Q_OBJECT
  public:
    explicit IntakePage(Workspace& workspace, QWidget* parent = nullptr);
    ~IntakePage() override;

    void take(const QStringList& paths);
    // Simulates the demo kit where it is not there yet, takes it in and opens it.
    void takeDemo(const QString& folder);
    [[nodiscard]] bool busy() const { return running_.isRunning(); }
    [[nodiscard]] QTableWidget* table() const { return table_; }
    void cancel() { abandon_ = true; }
    // The invitation again, nothing taken in.
    void startOver();

  signals:
    void built();     // the workspace holds a new session
    void wantOpen();  // the person would rather open a session

  protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

  private:
    struct Outcome {
        Intake intake;
        Session session;
        bool haveSession = false;
        QString error;
        bool cancelled = false;
    };

    QWidget* makeInvitation();
    QWidget* makeReview();
    void work(const QString& what, std::function<void(Outcome&, const Progress&)> job,
              std::function<void(Outcome&)> then);
    void showIntake();
    void fillRow(int row);
    void correct(int row, int column);
    void build();

    Workspace& workspace_;
    QStackedWidget* pages_ = nullptr;
    QLabel *summary_ = nullptr, *unusual_ = nullptr, *error_ = nullptr, *doing_ = nullptr;
    QTableWidget* table_ = nullptr;
    QLineEdit* tempo_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QPushButton *cancel_ = nullptr, *build_ = nullptr;
    QWidget* progressLine_ = nullptr;
    Intake intake_;
    QFutureWatcher<void> running_;
    std::shared_ptr<Outcome> outcome_;
    std::function<void(Outcome&)> then_;
    std::atomic<bool> abandon_{false};
    bool filling_ = false;
};

}  // namespace ember::app
