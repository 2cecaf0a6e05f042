#include "app/bench/sum_meter.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace ember::app {

SumMeter::SumMeter(QWidget* parent) : QWidget(parent) {
    setObjectName("sum-meter");
    setFixedHeight(44);
    setAccessibleName(tr("Mono sum"));
    setToolTip(
        tr("Both microphones in mono at this stroke: right of the line they help each other, "
           "left of it they cancel."));
}

void SumMeter::setLevel(double db) {
    db_ = std::clamp(db, kLowDb, kHighDb);
    setAccessibleDescription(tr("%1 dB").arg(figure(db_, 1)));
    update();
}

void SumMeter::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Palette& p = colours();
    const QRectF bar(0.0, 20.0, width(), 10.0);
    const auto x = [&](double db) {
        return bar.left() + bar.width() * (db - kLowDb) / (kHighDb - kLowDb);
    };
    painter.setFont(face(11));
    painter.setPen(p.quiet);
    painter.drawText(QRectF(0, 0, width(), 16), Qt::AlignLeft | Qt::AlignVCenter, tr("Mono sum"));
    painter.setPen(p.chalk);
    painter.drawText(QRectF(0, 0, width(), 16), Qt::AlignRight | Qt::AlignVCenter,
                     tr("%1 dB").arg(change(db_)));
    painter.fillRect(bar, p.stave);
    // From the line outwards, so that help and harm point to different sides.
    painter.fillRect(QRectF(QPointF(std::min(x(0.0), x(db_)), bar.top()),
                            QPointF(std::max(x(0.0), x(db_)), bar.bottom())),
                     db_ >= 0.0 ? p.ember : p.wave);
    painter.fillRect(QRectF(x(0.0) - 1.0, bar.top() - 3.0, 2.0, bar.height() + 6.0), p.chalk);
    painter.setPen(p.quiet);
    painter.drawText(QRectF(0, 32, width(), 12), Qt::AlignLeft, tr("cancel"));
    painter.drawText(QRectF(0, 32, width(), 12), Qt::AlignRight, tr("help"));
}

}  // namespace ember::app
