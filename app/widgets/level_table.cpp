#include "app/widgets/level_table.h"

#include <QKeyEvent>
#include <QMouseEvent>

#include <cmath>

namespace ember::app {
namespace {

constexpr double kStepDb = 1.0, kFineDb = 0.1;

bool isFine(const QInputEvent& event) {
    return event.modifiers().testFlag(Qt::ShiftModifier);
}

}  // namespace

LevelTable::LevelTable(double dbPerPixel, QWidget* parent)
    : QTableWidget(parent), dbPerPixel_(dbPerPixel) {
    setTabKeyNavigation(false);
    setEditTriggers(QAbstractItemView::AnyKeyPressed);
    setSelectionMode(QAbstractItemView::SingleSelection);
    connect(this, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
        if (filling_) return;
        const QString text = item->text();
        typed(item->row(), item->column(), text);
    });
}

void LevelTable::step(int row, int column, bool up, bool fine) {
    const double by = fine ? kFineDb : kStepDb;
    if (const auto level = levelAt(row, column)) moveLevel(row, column, *level + (up ? by : -by));
}

bool LevelTable::levelKey(QKeyEvent* event) {
    const bool up = event->key() == Qt::Key_Up;
    if (event->modifiers().testFlag(Qt::ControlModifier) && (up || event->key() == Qt::Key_Down)) {
        step(currentRow(), currentColumn(), up, isFine(*event));
        return true;
    }
    // A level typed: the editor opens with it.
    const QString text = event->text();
    const bool number =
        !text.isEmpty() && (text[0].isDigit() || QStringLiteral("+-−.").contains(text[0]));
    if (!number || currentItem() == nullptr || !currentItem()->flags().testFlag(Qt::ItemIsEditable))
        return false;
    edit(currentIndex(), QAbstractItemView::AnyKeyPressed, event);
    return true;
}

void LevelTable::keyPressEvent(QKeyEvent* event) {
    if (state() == QAbstractItemView::EditingState || currentItem() == nullptr)
        return QTableWidget::keyPressEvent(event);
    if (levelKey(event) || cellKey(event)) return;
    // Other letters belong to the window; the table would search for them.
    const QString text = event->text();
    if (text.isEmpty() || !text[0].isPrint()) return QTableWidget::keyPressEvent(event);
    event->ignore();
}

void LevelTable::mousePressEvent(QMouseEvent* event) {
    QTableWidget::mousePressEvent(event);
    if (event->button() != Qt::LeftButton) return;
    const QModelIndex index = indexAt(event->pos());
    dragRow_ = index.row();
    dragColumn_ = index.column();
    const auto level = levelAt(dragRow_, dragColumn_);
    dragging_ = level.has_value();
    dragFrom_ = event->position().y();
    dragDb_ = level.value_or(0.0);
}

void LevelTable::mouseMoveEvent(QMouseEvent* event) {
    if (!dragging_) return QTableWidget::mouseMoveEvent(event);
    const double fine = isFine(*event) ? 0.1 : 1.0;
    dragDb_ += (dragFrom_ - event->position().y()) * dbPerPixel_ * fine;
    dragFrom_ = event->position().y();
    if (!levelAt(dragRow_, dragColumn_)) return;  // it went meanwhile
    moveLevel(dragRow_, dragColumn_, std::round(dragDb_ * 10.0) / 10.0);
}

void LevelTable::mouseReleaseEvent(QMouseEvent* event) {
    if (dragging_) endGesture();
    dragging_ = false;
    QTableWidget::mouseReleaseEvent(event);
}

void LevelTable::mouseDoubleClickEvent(QMouseEvent* event) {
    const QModelIndex index = indexAt(event->pos());
    if (index.isValid()) activate(index.row(), index.column());
}

void LevelTable::wheelEvent(QWheelEvent* event) {
    const QModelIndex index = indexAt(event->position().toPoint());
    // Over the chosen cell it turns its level, elsewhere it scrolls.
    if (index != currentIndex() || !levelAt(index.row(), index.column()))
        return QTableWidget::wheelEvent(event);
    const int turned =
        event->angleDelta().y() != 0 ? event->angleDelta().y() : event->angleDelta().x();
    step(index.row(), index.column(), turned > 0, isFine(*event));
    event->accept();
}

}  // namespace ember::app
