#include "app/widgets/level_meter.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "core/base/units.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace ember::app {

double meterShare(double db) {
    return std::clamp((db + 60.0) / 66.0, 0.0, 1.0);
}

void paintMeter(QPainter& painter, const QRectF& area, const RowMeter* meter) {
    const Palette& p = colours();
    const double height = (area.height() - 1.0) / 2.0;
    for (int c = 0; c < 2; ++c) {
        const QRectF bar(area.left(), area.top() + c * (height + 1.0), area.width(), height);
        painter.fillRect(bar, p.hoop);
        if (meter == nullptr) continue;
        const double average =
            meterShare(10.0 * std::log10(static_cast<double>(meter->meanSquare[c]) + 1e-15));
        const double peakDb = dbFromGain(static_cast<double>(meter->peak[c]));
        const double peak = meterShare(peakDb);
        painter.fillRect(QRectF(bar.left(), bar.top(), bar.width() * average, bar.height()),
                         p.quiet);
        if (peak > 0.0)
            painter.fillRect(
                QRectF(bar.left() + bar.width() * peak - 2.0, bar.top(), 2.0, bar.height()),
                peakDb > 0.0 ? p.alarm : p.ember);
    }
}

LevelMeter::LevelMeter(QWidget* parent) : QWidget(parent) {
    setMinimumHeight(34);
    setAccessibleName(tr("Level"));
}

void LevelMeter::show(const RowMeter* meter) {
    if (meter == nullptr) return;
    meter_ = *meter;
    for (int c = 0; c < 2; ++c) held_[c] = std::max(held_[c] * 0.985F, meter_.peak[c]);
    const double peak = dbFromGain(static_cast<double>(std::max(held_[0], held_[1])));
    setAccessibleDescription(tr("peak %1 dBFS").arg(figure(peak, 1)));
    update();
}

void LevelMeter::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Palette& p = colours();
    painter.setFont(face(11));
    const QRectF bars(0, 2, width() - 58, height() - 18);
    paintMeter(painter, bars, &meter_);
    painter.setPen(p.quiet);
    for (const int db : {-48, -36, -24, -12, 0}) {
        const double x = bars.left() + bars.width() * meterShare(db);
        painter.drawText(QRectF(x - 16, bars.bottom() + 1, 32, 14), Qt::AlignCenter,
                         db < 0 ? QStringLiteral("−%1").arg(-db) : QString::number(db));
    }
    const double peak = dbFromGain(static_cast<double>(std::max(held_[0], held_[1])));
    painter.setPen(peak > 0.0 ? p.alarm : p.chalk);
    painter.setFont(face(12));
    painter.drawText(
        QRectF(bars.right() + 4, bars.top(), 54, bars.height()), Qt::AlignVCenter | Qt::AlignRight,
        peak < -90.0 ? QStringLiteral("−∞")
                     : QString(peak < 0 ? "−%1" : "+%1").arg(figure(std::abs(peak), 1)));
}

}  // namespace ember::app
