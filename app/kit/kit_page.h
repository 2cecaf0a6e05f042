// The kit as it was recorded: where every drum stands between left and right, and what that costs
// in mono. Who is heard where stands on Flow, Bleed.
#pragma once

#include "app/bench/plot.h"
#include "app/workers/listener.h"

#include <QLabel>

namespace ember::app {

class KitPage : public QWidget {
    Q_OBJECT
  public:
    KitPage(Workspace& workspace, Listener& listener, QWidget* parent = nullptr);
    [[nodiscard]] Plot& image() { return *image_; }
    [[nodiscard]] QString imageText() const { return width_->text(); }
    void refresh();

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    void drawImage(const KitMeasurement& measured);

    Workspace& workspace_;
    Listener& listener_;
    QLabel *state_ = nullptr, *width_ = nullptr;
    Plot* image_ = nullptr;
    QCPGraph *places_ = nullptr, *seats_ = nullptr;
    std::vector<QCPItemLine*> spreads_;
};

}  // namespace ember::app
