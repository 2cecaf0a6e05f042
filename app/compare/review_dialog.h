// What is active before anybody touched it, and what was left behind in the chains; choosing a line
// opens its bench.
#pragma once

#include "app/workers/tracer.h"
#include "core/report/review.h"

#include <QDialog>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>

namespace ember::app {

class ReviewDialog : public QDialog {
    Q_OBJECT
  public:
    ReviewDialog(Workspace& workspace, Tracer& tracer, QWidget* parent = nullptr);
    [[nodiscard]] QListWidget& list() { return *list_; }

  signals:
    void chosen(const std::string& row, const std::string& stage);

  private:
    void fill();

    Workspace& workspace_;
    Tracer& tracer_;
    QListWidget* list_ = nullptr;
    QLabel* sentence_ = nullptr;
    QPushButton *reset_ = nullptr, *unmute_ = nullptr;
    std::vector<ReviewItem> items_;
};

}  // namespace ember::app
