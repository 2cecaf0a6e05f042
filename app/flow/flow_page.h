// Who feeds whom: every row's output and sends into every bus, with room and latency, beside it the
// sends of the chosen row; and, as its other sides, every drum in every microphone, and kick and
// bass by themselves.
#pragma once

#include "app/bench/send_list.h"
#include "app/flow/bleed_page.h"
#include "app/flow/flow_matrix.h"
#include "app/flow/low_end_page.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QStackedWidget>

namespace ember::app {

enum class FlowSide { routing, bleed, lowEnd };

class FlowPage : public QWidget {
    Q_OBJECT
  public:
    FlowPage(Workspace& workspace, Tracer& tracer, Player& player, Listener& listener,
             QWidget* parent = nullptr);
    [[nodiscard]] FlowMatrix& matrix() { return *matrix_; }
    [[nodiscard]] BleedPage& bleed() { return *bleed_; }
    [[nodiscard]] LowEndPage& lowEnd() { return *lowEnd_; }
    void showSide(FlowSide side);
    [[nodiscard]] FlowSide side() const { return static_cast<FlowSide>(sides_->currentIndex()); }
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
    LowEndPage* lowEnd_ = nullptr;
    FlowMatrix* matrix_ = nullptr;
    QLabel *row_ = nullptr, *feeds_ = nullptr;
    QComboBox* school_ = nullptr;
    QVBoxLayout* side_ = nullptr;
    SendList* sends_ = nullptr;
    std::string shown_;
};

}  // namespace ember::app
