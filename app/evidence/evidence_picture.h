// The evidence behind a step, drawn: levels of strokes and bleed, a spectrum with its rings, the
// sum of two microphones by band.
#pragma once

#include "core/advise/proposal.h"

#include <QWidget>

#include <memory>
#include <optional>

namespace ember::app {

class EvidencePicture : public QWidget {
    Q_OBJECT
  public:
    explicit EvidencePicture(QWidget* parent = nullptr);
    // Nothing is drawn for steps that have no picture. `threshold` in dBFS: of a gate that opens by
    // level.
    void show(std::shared_ptr<const KitMeasurement> measured, const std::string& drum,
              const std::string& row, const std::string& step, std::optional<double> threshold);
    [[nodiscard]] bool hasPicture() const;
    [[nodiscard]] QSize sizeHint() const override { return {230, 132}; }

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    void paintLevels(QPainter& painter, const QRectF& area, const Separation& s) const;
    void paintSpectrum(QPainter& painter, const QRectF& area, const DrumTone& tone) const;
    void paintSum(QPainter& painter, const QRectF& area, const PhasePair& pair) const;
    [[nodiscard]] const Separation* separation() const;
    [[nodiscard]] const DrumTone* tone() const;
    [[nodiscard]] const PhasePair* pair() const;

    std::shared_ptr<const KitMeasurement> measured_;
    std::string drum_, row_, step_;
    std::optional<double> threshold_;
};

}  // namespace ember::app
