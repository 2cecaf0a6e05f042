// What every drawn cell of a table has: its figure at the right, and a frame when it is chosen.
#pragma once

#include <QStyleOptionViewItem>

class QColor;
class QPainter;

namespace ember::app {

void paintFigure(QPainter& painter, const QStyleOptionViewItem& option, const QString& figure,
                 const QColor& colour);

}  // namespace ember::app
