// How the Board draws itself.

#include "app/board/board.h"
#include "app/theme/theme.h"
#include "app/widgets/certainty.h"
#include "app/widgets/level_meter.h"
#include "core/session/graph.h"

#include <QPaintEvent>
#include <QPainter>

#include <algorithm>
#include <array>

namespace ember::app {

const Board::Picture& Board::picture(const Row& row, Column column, const QSize& size) {
    Picture& kept = pictures_[{row.id, column}];
    const double ratio = devicePixelRatioF();
    if (!kept.pixmap.isNull() && kept.pixmap.size() == size * ratio) return kept;
    const auto trace = tracer_.of(row.id);
    kept.cell = cellAt(row, column);
    kept.pixmap = QPixmap(size * ratio);
    kept.pixmap.setDevicePixelRatio(ratio);
    kept.pixmap.fill(Qt::transparent);
    const QPointF corner(size.width() - 13.0, 14.0);
    QPainter painter(&kept.pixmap);
    if (column == Column::layers) {
        // Once the row is measured its sounds are decoded.
        if (!row.layers.empty() && trace != nullptr)
            paintLayers(painter, QRectF(8, 5, size.width() - 34, size.height() - 10), workspace_,
                        row);
        paintState(painter, corner, 10.0, kept.cell);
        return kept;
    }
    if (kept.cell.stages.empty()) {
        // Nothing there yet; a proposal to add something still shows.
        paintState(painter, corner, 10.0, kept.cell);
        return kept;
    }
    const Stage* stage = findStage(row, kept.cell.stages.front());
    paintMiniature(painter, QRectF(8, 5, size.width() - 34, size.height() - 10), workspace_, row,
                   *stage, trace.get());
    paintState(painter, corner, 10.0, kept.cell);
    painter.setFont(face(11));
    painter.setPen(colours().quiet);
    if (kept.cell.ordinal > 0)
        painter.drawText(QRectF(size.width() - 24.0, 22.0, 22.0, 14.0), Qt::AlignCenter,
                         QString::number(kept.cell.ordinal));
    if (kept.cell.moves)
        painter.drawText(QRectF(size.width() - 44.0, corner.y() - 8.0, 22.0, 14.0), Qt::AlignCenter,
                         QStringLiteral("∿"));
    if (kept.cell.stages.size() > 1) {
        painter.drawText(QRectF(size.width() - 24.0, size.height() - 18.0, 22.0, 14.0),
                         Qt::AlignCenter, QStringLiteral("×%1").arg(kept.cell.stages.size()));
    }
    return kept;
}

void Board::paintHead(QPainter& painter, const Row& row, int index) {
    const Palette& p = colours();
    const QRectF area(0.0, rowRect(index).top(), kHeadWidth, rowHeight_);
    painter.fillRect(area,
                     row.kind == RowKind::element || row.kind == RowKind::guest ? p.stave : p.coal);
    if (const int hoop = groupOf(workspace_.session(), row); hoop >= 0)
        painter.fillRect(QRectF(0, area.top(), 5.0, area.height()), hoopColour(hoop));
    const bool bus = !hasSources(row.kind);
    const bool heard = audible(workspace_.session(), row);
    painter.setPen(heard ? p.chalk : p.quiet);
    painter.setFont(face(13, bus ? QFont::DemiBold : QFont::Medium));
    const QFontMetricsF metrics(painter.font());
    const double left = 22.0, wide = kHeadWidth - 86.0;
    painter.drawText(QRectF(left, area.top() + 5.0, wide, 18.0), Qt::AlignVCenter,
                     metrics.elidedText(QString::fromStdString(row.name), Qt::ElideRight, wide));
    if (bus && row.kind == RowKind::bus) {
        painter.setFont(face(11));
        painter.setPen(p.quiet);
        painter.drawText(QRectF(7.0, area.top() + 5.0, 14.0, 18.0), Qt::AlignCenter,
                         folded_.count(row.id) > 0 ? QStringLiteral("▸") : QStringLiteral("▾"));
    }
    if (rowHeight_ >= 44) {
        painter.setFont(face(11));
        painter.setPen(p.quiet);
        QString second;
        if (row.kind == RowKind::bus) second = tr("bus");
        if (row.kind == RowKind::guest) second = tr("guest");
        if (row.kind == RowKind::reference) second = tr("reference, not in the mix");
        if (row.kind == RowKind::main) second = tr("everything");
        if (row.kind == RowKind::element) {
            const QString role = QString::fromStdString(std::string(roleLabel(row.role))),
                          width = !row.layers.empty()       ? tr("layers")
                                  : row.sources.size() == 2 ? tr("stereo")
                                                            : tr("mono");
            second = role.compare(QString::fromStdString(row.name), Qt::CaseInsensitive) == 0
                         ? width
                         : role + ", " + width;
            if (row.printed) second = tr("printed, %1").arg(width);
            if (isUnsure(row)) {
                second = tr("who is this?");
                paintCertainty(painter, QRectF(left + wide - 14.0, area.top() + 21.0, 14.0, 14.0),
                               Certainty::unsure);
                painter.setFont(face(11));
                painter.setPen(p.chalk);
            }
        }
        const QString gives = player_.givesText(row.id);
        if (!gives.isEmpty()) second = gives + ", " + second;
        painter.drawText(QRectF(left, area.top() + 21.0, wide, 15.0), Qt::AlignVCenter,
                         QFontMetricsF(painter.font()).elidedText(second, Qt::ElideRight, wide));
    }
    const bool reference = row.kind == RowKind::reference;
    if (!reference) paintMeter(painter, meterRect(index), player_.meter(row.id));
    const std::array<std::pair<QRectF, bool>, 2> boxes{
        {{muteRect(row.id), row.mute},
         {soloRect(row.id), reference ? player_.reference() == row.id : row.solo}}};
    // A reference has nothing to be muted in; S plays it in place of the mix.
    for (std::size_t i = reference ? 1 : 0; i < 2; ++i) {
        const bool on = boxes[i].second;
        painter.setPen(QPen(on ? p.ember : p.hoop, 1.0));
        painter.setBrush(on ? p.ember : QColor(Qt::transparent));
        painter.drawRoundedRect(boxes[i].first, 3, 3);
        painter.setPen(on ? p.onEmber : p.quiet);
        painter.setFont(face(11, QFont::Medium));
        painter.drawText(boxes[i].first, Qt::AlignCenter, i == 0 ? tr("M") : tr("S"));
    }
}

void Board::paintColumnHeads(QPainter& painter) {
    const Palette& p = colours();
    painter.fillRect(QRectF(0, 0, viewport()->width(), kHeadHeight), p.coal);
    painter.setFont(face(12, QFont::Medium));
    for (const Column column : columns()) {
        const QRectF area = cellRect({{}, column});
        painter.setPen(selected_.column == column ? p.chalk : p.quiet);
        painter.drawText(area.adjusted(9, 0, 0, 0), Qt::AlignVCenter, columnLabel(column));
    }
    painter.fillRect(QRectF(0, 0, kHeadWidth, kHeadHeight), p.coal);
    painter.setPen(p.quiet);
    painter.drawText(QRectF(22, 0, kHeadWidth, kHeadHeight), Qt::AlignVCenter,
                     shown().size() == 1 ? tr("1 row") : tr("%1 rows").arg(shown().size()));
    painter.setPen(p.hoop);
    painter.drawLine(QPointF(0, kHeadHeight - 0.5),
                     QPointF(viewport()->width(), kHeadHeight - 0.5));
}

void Board::paintEvent(QPaintEvent* event) {
    QPainter painter(viewport());
    const Palette& p = colours();
    painter.fillRect(event->rect(), p.coal);
    const auto rows = shown();
    const QSize size(static_cast<int>(columnWidth()), rowHeight_);
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const QRectF area = rowRect(static_cast<int>(i));
        if (area.bottom() < kHeadHeight || area.top() > viewport()->height() ||
            !area.toAlignedRect().intersects(event->rect()))
            continue;
        const Row& row = *rows[i];
        const bool bus = !hasSources(row.kind);
        painter.fillRect(area, bus ? p.coal : p.stave);
        // A meter's repaint needs no cells.
        if (event->rect().right() >= kHeadWidth) {
            for (const Column column : columns()) {
                const QRectF cell = cellRect({row.id, column});
                const bool dim =
                    !audible(workspace_.session(), row) && row.kind != RowKind::reference;
                painter.setOpacity(dim ? 0.45 : 1.0);
                painter.drawPixmap(cell.topLeft(), picture(row, column, size).pixmap);
                painter.setOpacity(1.0);
                painter.setPen(p.hoop);
                painter.drawLine(cell.topLeft(), cell.bottomLeft());
            }
        }
        paintHead(painter, row, static_cast<int>(i));
        painter.setPen(bus ? QPen(p.hoop, 2.0) : QPen(p.hoop, 1.0));
        painter.drawLine(QPointF(area.left(), area.bottom() - 0.5),
                         QPointF(area.right(), area.bottom() - 0.5));
    }
    if (!selected_.row.empty() || selected_.column) {
        painter.setClipRect(selected_.row.empty()
                                ? viewport()->rect()
                                : viewport()->rect().adjusted(0, kHeadHeight, 0, 0));
        painter.setPen(QPen(hasFocus() ? p.ember : p.quiet, 2.0));
        painter.setBrush(Qt::NoBrush);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.drawRoundedRect(cellRect(selected_).adjusted(1.5, 1.5, -1.5, -1.5), 4, 4);
        painter.setClipping(false);
    }
    paintColumnHeads(painter);
    if (selected_.row.empty() && selected_.column) {
        painter.setPen(QPen(p.ember, 2.0));
        painter.drawRoundedRect(cellRect(selected_).adjusted(1.5, 1.5, -1.5, -2.5), 4, 4);
    }
}

}  // namespace ember::app
