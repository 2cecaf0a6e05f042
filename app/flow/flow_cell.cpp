#include "app/flow/flow_cell.h"

#include "app/theme/theme.h"
#include "app/widgets/table_cell.h"
#include "core/report/flow_table.h"

#include <QPainter>

#include <algorithm>

namespace ember::app {
namespace {

constexpr double kFloorDb = -48.0, kTopDb = 12.0;
constexpr double kFigure = 46.0;  // pixels that the figure at the right takes

// What a row feeds: a whole bar, with the barrel's end; a send: a bar with a head that says where
// it is taken, behind the fader (flat) or before it (a gap in front).
void paintAmount(QPainter& painter, const QRectF& area, const QModelIndex& index, bool send) {
    const Palette& p = colours();
    const bool on = index.data(FlowCellPainter::kOn).toBool();
    const double level = index.data(FlowCellPainter::kLevel).toDouble(),
                 share = std::clamp((level - kFloorDb) / (kTopDb - kFloorDb), 0.0, 1.0);
    QRectF bar = area.adjusted(0.0, 0.0, -kFigure, 0.0);
    if (send && index.data(FlowCellPainter::kBefore).toBool()) {
        painter.fillRect(QRectF(bar.left(), bar.top(), 3.0, bar.height()), p.chalk);
        bar.setLeft(bar.left() + 7.0);
    }
    bar.setWidth(std::max(4.0, bar.width() * share));
    QColor ground = send ? p.ember : p.wave;
    ground.setAlpha(send ? 190 : 140);
    painter.setPen(on ? QPen(Qt::NoPen) : QPen(p.quiet, 1.0, Qt::DashLine));
    painter.setBrush(on ? QBrush(ground) : QBrush(Qt::NoBrush));
    painter.drawRect(bar);
    if (!send)
        painter.fillRect(QRectF(bar.right() - 3, bar.top() - 2, 3, bar.height() + 4), p.chalk);
    if (const double pan = index.data(FlowCellPainter::kPan).toDouble(); send && pan != 0.0) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(p.chalk);
        painter.drawEllipse(QPointF(area.left() + (area.width() - kFigure) * (0.5 + pan / 200.0),
                                    area.bottom() + 1.0),
                            2.0, 2.0);
    }
}

}  // namespace

void FlowCellPainter::paint(QPainter* painter, const QStyleOptionViewItem& option,
                            const QModelIndex& index) const {
    using Kind = FlowCell::Kind;
    const Palette& p = colours();
    const int told = index.data(kKind).toInt();
    const auto kind = static_cast<Kind>(told);
    painter->save();
    painter->setRenderHint(QPainter::Antialiasing);
    painter->fillRect(option.rect, told >= 0 && kind == Kind::itself ? p.hoop : p.stave);
    const QRectF area = QRectF(option.rect).adjusted(4, 5, -4, -5);
    const bool amount = told >= 0 && (kind == Kind::output || kind == Kind::send);
    if (amount) paintAmount(*painter, area, index, kind == Kind::send);
    if (told >= 0 && kind == Kind::round) {
        // Where the sound would go round.
        painter->setPen(QPen(p.quiet, 1.3));
        painter->setBrush(Qt::NoBrush);
        painter->drawArc(QRectF(area.center() - QPointF(5, 5), QSizeF(10, 10)), 40 * 16, 280 * 16);
    }
    paintFigure(*painter, option, index.data(Qt::DisplayRole).toString(),
                amount && index.data(kOn).toBool() ? p.chalk : p.quiet);
    painter->restore();
}

}  // namespace ember::app
