// Who is this? The likeliest answers for a row that nobody is sure of.
#pragma once

#include "app/workers/workspace.h"

#include <QVBoxLayout>
#include <QWidget>

namespace ember::app {

class EvidenceQuestion : public QWidget {
    Q_OBJECT
  public:
    explicit EvidenceQuestion(Workspace& workspace, QWidget* parent = nullptr);
    // Asks about the row where its role is unsure; hides otherwise.
    void show(const Row* row);

  private:
    void answer(const std::string& row, Role role, double sure);

    Workspace& workspace_;
    QVBoxLayout* answers_;
};

}  // namespace ember::app
