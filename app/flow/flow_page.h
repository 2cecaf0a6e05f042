// Who feeds whom: every row's output and sends into every bus, with room and latency, beside it the
// sends of the chosen row; and, as its other side, every drum in every microphone.
#pragma once

#include "app/bench/send_list.h"
#include "app/flow/bleed_page.h"
#include "app/flow/flow_matrix.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>

namespace ember::app {

class FlowPage : public QWidget {
    Q_OBJECT
  public:
    FlowPage(Workspace& workspace, Tracer& tracer, Player& player, Listener& listener,
             QWidget* parent = nullptr);
    [[nodiscard]] FlowMatrix& matrix() { return *matrix_; }
    [[nodiscard]] BleedPage& bleed() { return *bleed_; }
    // Shows the routing, or the bleed; and which of them is shown.
    void showSide(bool bleed);
    [[nodiscard]] bool showsBleed() const { return sides_->currentIndex() == 1; }
    void refresh();

  signals:
    void rowMenuAsked(const std::string& row, const QPoint& at);
    // What is proposed for the buses is wanted, in the way of working that is chosen here.
    void adviceAsked();

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    void showRow();

    Workspace& workspace_;
    QStackedWidget* sides_ = nullptr;
    BleedPage* bleed_ = nullptr;
    FlowMatrix* matrix_ = nullptr;
    QLabel *row_ = nullptr, *feeds_ = nullptr;
    QComboBox* school_ = nullptr;
    QVBoxLayout* side_ = nullptr;
    SendList* sends_ = nullptr;
    std::string shown_;
};

}  // namespace ember::app
