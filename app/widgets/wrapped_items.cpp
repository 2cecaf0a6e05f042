#include "app/widgets/wrapped_items.h"

#include <QPainter>
#include <QStyledItemDelegate>

#include <utility>

namespace ember::app {
namespace {

constexpr int kBeside = 3, kHowWrapped = Qt::TextWordWrap | Qt::AlignLeft | Qt::AlignTop;

class WrappedItem : public QStyledItemDelegate {
  public:
    explicit WrappedItem(QListWidget* list) : QStyledItemDelegate(list), list_(list) {}

    [[nodiscard]] QSize sizeHint(const QStyleOptionViewItem& option,
                                 const QModelIndex& index) const override {
        QStyleOptionViewItem item = option;
        initStyleOption(&item, index);
        const int width = list_->viewport()->width() - 2 * list_->spacing();
        return {width, wordsIn(item, width).height()};
    }
    void paint(QPainter* painter, const QStyleOptionViewItem& option,
               const QModelIndex& index) const override {
        QStyleOptionViewItem item = option;
        initStyleOption(&item, index);
        const QString text = std::exchange(item.text, {});
        list_->style()->drawControl(QStyle::CE_ItemViewItem, &item, painter, list_);
        const bool chosen = item.state.testFlag(QStyle::State_Selected);
        painter->setFont(item.font);
        painter->setPen(item.palette.color(chosen ? QPalette::HighlightedText : QPalette::Text));
        painter->drawText(item.rect.adjusted(kBeside, 0, -kBeside, 0), kHowWrapped, text);
    }

  private:
    static QRect wordsIn(const QStyleOptionViewItem& item, int width) {
        return item.fontMetrics.boundingRect({0, 0, width - 2 * kBeside, 1 << 16}, kHowWrapped,
                                             item.text);
    }

    QListWidget* list_;
};

}  // namespace

void wrapItems(QListWidget* list) {
    list->setItemDelegate(new WrappedItem(list));
    list->setResizeMode(QListView::Adjust);
    // Heights follow the width: a bar that comes and goes would change both.
    list->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOn);
}

}  // namespace ember::app
