// How much two microphones give together: a bar against two sounds that share nothing.
#pragma once

#include <QWidget>

namespace ember::app {

class SumMeter : public QWidget {
    Q_OBJECT
  public:
    static constexpr double kLowDb = -18.0, kHighDb = 3.0;

    explicit SumMeter(QWidget* parent = nullptr);
    // Level of the mono sum in dB against the sum of both powers: +3 is full agreement.
    void setLevel(double db);
    [[nodiscard]] double level() const { return db_; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    double db_ = kLowDb;
};

}  // namespace ember::app
