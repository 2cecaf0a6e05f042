#include "app/widgets/table_cell.h"

#include "app/theme/theme.h"

#include <QPainter>

namespace ember::app {

void paintFigure(QPainter& painter, const QStyleOptionViewItem& option, const QString& figure,
                 const QColor& colour) {
    painter.setPen(colour);
    painter.setFont(face(12));
    painter.drawText(option.rect.adjusted(8, 0, -8, 0), Qt::AlignVCenter | Qt::AlignRight, figure);
    if (!option.state.testFlag(QStyle::State_Selected)) return;
    painter.setPen(QPen(colours().ember, 1.5));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(option.rect.adjusted(1, 1, -2, -2));
}

}  // namespace ember::app
