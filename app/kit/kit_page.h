// The kit as it was recorded: who is heard where, and where every drum stands between left and
// right.
#pragma once

#include "app/bench/plot.h"
#include "app/kit/bleed_matrix.h"
#include "app/workers/listener.h"

#include <QLabel>

namespace ember::app {

class KitPage : public QWidget {
    Q_OBJECT
  public:
    KitPage(Workspace& workspace, Listener& listener, QWidget* parent = nullptr);
    [[nodiscard]] BleedMatrix& matrix() { return *matrix_; }
    [[nodiscard]] Plot& image() { return *image_; }
    [[nodiscard]] QString imageText() const { return width_->text(); }
    void refresh();

  signals:
    // A microphone's row is to be looked at on the Board.
    void rowAsked(const std::string& row);

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    void drawImage(const KitMeasurement& measured);

    Workspace& workspace_;
    Listener& listener_;
    QLabel *state_ = nullptr, *width_ = nullptr;
    BleedMatrix* matrix_ = nullptr;
    Plot* image_ = nullptr;
    QCPGraph *places_ = nullptr, *seats_ = nullptr;
    std::vector<QCPItemLine*> spreads_;
};

}  // namespace ember::app
