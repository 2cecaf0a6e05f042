#include "app/widgets/quiet_table.h"

#include <QHeaderView>

namespace ember::app {

QTableWidget* quietTable(const QStringList& heads, QWidget* parent) {
    auto* table = new QTableWidget(0, static_cast<int>(heads.size()), parent);
    table->setHorizontalHeaderLabels(heads);
    table->verticalHeader()->hide();
    table->verticalHeader()->setDefaultSectionSize(26);
    table->setSelectionBehavior(QAbstractItemView::SelectRows);
    table->setSelectionMode(QAbstractItemView::SingleSelection);
    table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table->setShowGrid(false);
    table->setTabKeyNavigation(false);
    table->horizontalHeader()->setHighlightSections(false);
    table->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    table->horizontalHeaderItem(0)->setTextAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    return table;
}

void putText(QTableWidget* table, int row, int column, const QString& text, const QString& tip,
             bool figure) {
    auto* item = new QTableWidgetItem(text);
    item->setToolTip(tip);
    item->setData(Qt::AccessibleTextRole,
                  table->horizontalHeaderItem(column)->text() + ": " + text);
    if (figure) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    table->setItem(row, column, item);
}

}  // namespace ember::app
