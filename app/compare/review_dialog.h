// What is active before anybody touched it, and what was left behind in the chains; choosing a line
// opens its bench.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/tracer.h"
#include "app/workers/watch.h"
#include "core/report/review.h"
#include "core/report/shortest_chain.h"

#include <QDialog>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>

#include <atomic>

namespace ember::app {

class ReviewDialog : public QDialog {
    Q_OBJECT
  public:
    ReviewDialog(Workspace& workspace, Tracer& tracer, QWidget* parent = nullptr);
    ~ReviewDialog() override;
    [[nodiscard]] QListWidget& list() { return *list_; }
    [[nodiscard]] bool weighing() const { return weighing_.isRunning(); }

  signals:
    void chosen(const std::string& row, const std::string& stage);

  private:
    void fill();
    void weigh();
    void weighed();

    Workspace& workspace_;
    Tracer& tracer_;
    QListWidget* list_ = nullptr;
    QLabel* sentence_ = nullptr;
    QPushButton *reset_ = nullptr, *unmute_ = nullptr, *weigh_ = nullptr;
    std::vector<ReviewItem> items_;
    Errand<Outcome<std::vector<StepWorth>>> weighing_;
    std::atomic<bool> abandon_{false};
    QString weighedText_;             // what came of it, until the session changes
    std::vector<StepWorth> couldGo_;  // likewise
};

}  // namespace ember::app
