// A cell of the flow, drawn: a fader or a send as a bar that is as long as it is loud.
#pragma once

#include <QStyledItemDelegate>

namespace ember::app {

class FlowCellPainter : public QStyledItemDelegate {
  public:
    // What a cell's item carries: FlowCell::Kind (negative: a plain figure), dB, and a send's own.
    static constexpr int kKind = Qt::UserRole, kLevel = Qt::UserRole + 1, kOn = Qt::UserRole + 2,
                         kBefore = Qt::UserRole + 3, kPan = Qt::UserRole + 4;

    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option,
               const QModelIndex& index) const override;
};

}  // namespace ember::app
