// What is active before anybody touched it, and what was left behind in the chains; choosing a line
// opens its bench.
#pragma once

#include "app/compare/mix_choice.h"
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
    // Somebody wants to know by ear whether anything is missed without some steps.
    void blindAsked(const ember::app::MixChoice& without);

  private:
    struct Weighed {
        std::vector<StepWorth> all;
        ShortestChain shortest;
    };

    void fill();
    void weigh();
    void weighed();

    Workspace& workspace_;
    Tracer& tracer_;
    QListWidget* list_ = nullptr;
    QLabel* sentence_ = nullptr;
    QPushButton *reset_ = nullptr, *unmute_ = nullptr, *weigh_ = nullptr, *blind_ = nullptr,
                *off_ = nullptr;
    std::vector<ReviewItem> items_;
    Errand<Outcome<Weighed>> weighing_;
    std::atomic<bool> abandon_{false};
    QString weighedText_;             // what came of it, until the session changes
    std::vector<StepWorth> couldGo_;  // likewise
    ShortestChain shortest_;          // likewise
};

}  // namespace ember::app
