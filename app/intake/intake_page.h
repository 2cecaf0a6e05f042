// Intake: drop files, look at what they were taken for, correct it; a new session, or more rows of
// the one that is open.
#pragma once

#include "app/intake/intake_table.h"
#include "app/workers/errand.h"
#include "app/workers/workspace.h"
#include "core/advise/intake.h"

#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QStackedWidget>
#include <QToolButton>

#include <atomic>
#include <functional>
#include <memory>
#include <optional>

namespace ember::app {

class IntakePage : public QWidget {
    Q_OBJECT
  public:
    explicit IntakePage(Workspace& workspace, QWidget* parent = nullptr);
    ~IntakePage() override;

    void take(const QStringList& paths);
    // Recordings that come to the session that is open.
    void takeInto(const QStringList& paths);
    // Simulates the demo kit where it is not there yet, takes it in and opens it.
    void takeDemo(const QString& folder);
    [[nodiscard]] bool busy() const { return running_.isRunning(); }
    [[nodiscard]] IntakeTable* table() const { return table_; }
    // New sessions begin as this one stood, or, with an empty path, with the usual groups.
    void beginLike(const QString& path);
    void cancel() { abandon_ = true; }
    // The invitation again, nothing taken in.
    void startOver();

  signals:
    void built();  // the workspace holds a new session, or the open one has new rows
    void left(
        const QString& why);  // nothing was added to the open session; why: a sentence or none
    // A row alone, looped; an empty session: silence again.
    void hearAsked(const ember::Session& session);
    void wantOpen();  // the person would rather open a session

  protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

  private:
    struct Outcome {
        Intake intake;
        Session session;
        std::vector<std::string> remarks;
        QString error;
        bool cancelled = false;
    };

    QWidget* makeInvitation();
    QWidget* makeReview();
    void work(const QString& what, std::function<void(Outcome&, const Progress&)> job,
              std::function<void(Outcome&)> then);
    [[nodiscard]] bool reviewing() const { return pages_->currentIndex() == 1; }
    void showIntake(bool adding);
    void refreshLike();
    void chooseLike();
    void beginAs(std::optional<Session> earlier);
    void add();
    void refreshActions();
    void build();

    Workspace& workspace_;
    QStackedWidget* pages_ = nullptr;
    QLabel *summary_ = nullptr, *unusual_ = nullptr, *error_ = nullptr, *doing_ = nullptr;
    QLabel* different_ = nullptr;  // from the earlier session
    IntakeTable* table_ = nullptr;
    QToolButton *roles_ = nullptr, *like_ = nullptr;
    QPushButton *pair_ = nullptr, *part_ = nullptr, *again_ = nullptr;
    QWidget* tempoLine_ = nullptr;
    QLineEdit* tempo_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QPushButton *cancel_ = nullptr, *build_ = nullptr;
    QWidget* progressLine_ = nullptr;
    Errand<void> running_;
    std::shared_ptr<Outcome> outcome_;
    std::function<void(Outcome&)> then_;
    std::atomic<bool> abandon_{false};
    std::optional<Session> earlier_;  // as which a new session begins
    bool adding_ = false;             // what is reviewed comes to the session that is open
};

}  // namespace ember::app
