// A table that is read and chosen from: whole rows, no grid, the first column taking what is left.
#pragma once

#include <QStringList>
#include <QTableWidget>

namespace ember::app {

QTableWidget* quietTable(const QStringList& heads, QWidget* parent);
// A cell's text, which a screen reader tells with its column's name.
void putText(QTableWidget* table, int row, int column, const QString& text, const QString& tip = {},
             bool figure = true);

}  // namespace ember::app
