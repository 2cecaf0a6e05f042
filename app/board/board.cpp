#include "app/board/board.h"

#include "app/widgets/certainty.h"
#include "core/session/graph.h"

#include <QAccessible>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QScrollBar>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kLeastColumn = 108.0;

}  // namespace

Board::Board(Workspace& workspace, Player& player, Tracer& tracer, QWidget* parent)
    : QAbstractScrollArea(parent), workspace_(workspace), player_(player), tracer_(tracer) {
    connect(&player_, &Player::referenceChanged, viewport(), qOverload<>(&QWidget::update));
    connect(&player_, &Player::planReady, viewport(), qOverload<>(&QWidget::update));
    setObjectName("board");
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Board"));
    viewport()->setAutoFillBackground(false);
    connect(&workspace_, &Workspace::opened, this, [this] {
        pictures_.clear();
        folded_.clear();
        const auto& rows = workspace_.session().rows;
        selected_ = rows.empty() ? BoardPlace{} : BoardPlace{rows.front().id, Column::gate};
        layOut();
        describeSelection();
    });
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        for (const std::string& row : diff.rows) forget(row);
        // Miniatures show the loop where there is one.
        if (workspace_.session().loop != pictured_) {
            pictured_ = workspace_.session().loop;
            pictures_.clear();
        }
        if (diff.structural) {
            pictures_.clear();
            if (!selected_.row.empty() && indexOf(selected_.row) < 0 && !shown().empty())
                selected_.row = shown().front()->id;
        }
        layOut();
    });
    connect(&tracer_, &Tracer::traced, this, [this](const QString& row) {
        forget(row.toStdString());
        viewport()->update();
    });
    connect(verticalScrollBar(), &QScrollBar::valueChanged, viewport(),
            qOverload<>(&QWidget::update));
    connect(horizontalScrollBar(), &QScrollBar::valueChanged, viewport(),
            qOverload<>(&QWidget::update));
}

std::vector<const Row*> Board::shown() const {
    std::vector<const Row*> rows;
    const Session& session = workspace_.session();
    for (const Row& row : session.rows) {
        const std::vector<const Row*> way = wayOut(session, row.id);
        if (std::none_of(way.begin() + 1, way.end(),
                         [&](const Row* bus) { return folded_.count(bus->id) > 0; }))
            rows.push_back(&row);
    }
    return rows;
}

int Board::indexOf(const std::string& id) const {
    const auto rows = shown();
    for (std::size_t i = 0; i < rows.size(); ++i) {
        if (rows[i]->id == id) return static_cast<int>(i);
    }
    return -1;
}

std::span<const Column> Board::columns() const {
    return columnsOf(workspace_.session());
}

double Board::columnWidth() const {
    return std::max(kLeastColumn,
                    (viewport()->width() - kHeadWidth) / static_cast<double>(columns().size()));
}

QRectF Board::rowRect(int index) const {
    return {0.0,
            static_cast<double>(kHeadHeight + index * rowHeight_ - verticalScrollBar()->value()),
            static_cast<double>(viewport()->width()), static_cast<double>(rowHeight_)};
}

QRectF Board::meterRect(int index) const {
    const QRectF row = rowRect(index);
    return {22.0, row.bottom() - 9.0, kHeadWidth - 86.0, 5.0};
}

QRectF Board::cellRect(const BoardPlace& place) const {
    double x = 0.0, width = kHeadWidth;
    if (place.column) {
        const auto at =
            std::find(columns().begin(), columns().end(), *place.column) - columns().begin();
        x = kHeadWidth + static_cast<double>(at) * columnWidth() - horizontalScrollBar()->value();
        width = columnWidth();
    }
    if (place.row.empty()) return {x, 0.0, width, static_cast<double>(kHeadHeight)};
    const int index = indexOf(place.row);
    if (index < 0) return {};
    return {x, rowRect(index).top(), width, static_cast<double>(rowHeight_)};
}

QRectF Board::muteRect(const std::string& row) const {
    const QRectF head = cellRect({row, std::nullopt});
    return {head.right() - 58.0, head.center().y() - 10.0, 22.0, 20.0};
}

QRectF Board::soloRect(const std::string& row) const {
    return muteRect(row).translated(26.0, 0.0);
}

BoardPlace Board::placeAt(const QPointF& at) const {
    BoardPlace place;
    if (at.x() >= kHeadWidth) {
        const auto column = static_cast<std::size_t>(
            (at.x() - kHeadWidth + horizontalScrollBar()->value()) / columnWidth());
        if (column < columns().size()) place.column = columns()[column];
    }
    if (at.y() < kHeadHeight) return place;
    const auto rows = shown();
    const auto index = static_cast<std::size_t>(
        (at.y() - kHeadHeight + verticalScrollBar()->value()) / rowHeight_);
    if (index < rows.size()) place.row = rows[index]->id;
    return place;
}

void Board::layOut() {
    const int content = kHeadHeight + static_cast<int>(shown().size()) * rowHeight_;
    verticalScrollBar()->setRange(0, std::max(0, content - viewport()->height()));
    verticalScrollBar()->setPageStep(viewport()->height() - kHeadHeight);
    verticalScrollBar()->setSingleStep(rowHeight_);
    const int wide =
        kHeadWidth + static_cast<int>(columnWidth() * static_cast<double>(columns().size()));
    horizontalScrollBar()->setRange(0, std::max(0, wide - viewport()->width() - 1));
    viewport()->update();
}

void Board::forget(const std::string& row) {
    for (const Column column : columns()) pictures_.erase({row, column});
}

void Board::refreshLook() {
    pictures_.clear();
    viewport()->update();
}

void Board::setRowHeight(int pixels) {
    rowHeight_ = std::clamp(pixels, 36, 110);
    pictures_.clear();
    layOut();
}

void Board::setFolded(const std::string& bus, bool folded) {
    if (folded)
        folded_.insert(bus);
    else
        folded_.erase(bus);
    layOut();
}

void Board::setProposed(std::set<std::pair<std::string, Column>> cells) {
    if (cells == proposed_) return;
    std::set<std::string> touched;
    for (const auto* set : {&cells, &proposed_}) {
        for (const auto& [row, column] : *set) touched.insert(row);
    }
    proposed_ = std::move(cells);
    for (const std::string& row : touched) forget(row);
    describeSelection();
    viewport()->update();
}

Cell Board::cellAt(const Row& row, Column column) const {
    Cell cell = cellOf(workspace_.session(), row, column, tracer_.of(row.id).get());
    const bool open = cell.state == CellState::untouched || cell.state == CellState::notApplicable;
    if (proposed_.contains({row.id, column})) {
        if (open)
            cell.state = CellState::proposed;
        else
            cell.offered = true;
    }
    return cell;
}

void Board::tick() {
    const auto rows = shown();
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const QRect meter = meterRect(static_cast<int>(i)).toAlignedRect();
        if (meter.top() > kHeadHeight && meter.top() < viewport()->height())
            viewport()->update(meter);
    }
}

void Board::select(const BoardPlace& place) {
    selected_ = place;
    if (!place.row.empty()) {
        const QRectF area = cellRect(place);
        if (area.top() < kHeadHeight)
            verticalScrollBar()->setValue(verticalScrollBar()->value() -
                                          static_cast<int>(kHeadHeight - area.top()));
        if (area.bottom() > viewport()->height())
            verticalScrollBar()->setValue(verticalScrollBar()->value() +
                                          static_cast<int>(area.bottom() - viewport()->height()));
        tracer_.prefer(place.row);
    }
    describeSelection();
    emit selectionChanged();
    viewport()->update();
}

void Board::describeSelection() {
    const Row* row = findRow(workspace_.session(), selected_.row);
    QString text = row != nullptr ? QString::fromStdString(row->name) : QString();
    if (row != nullptr && !player_.givesText(row->id).isEmpty())
        text += ", " + player_.givesText(row->id);
    if (row != nullptr && player_.reference() == row->id) text += tr(", heard in place of the mix");
    if (selected_.column) {
        text += (text.isEmpty() ? "" : ", ") + columnLabel(*selected_.column);
        if (row != nullptr) {
            const Cell cell = cellAt(*row, *selected_.column);
            text +=
                ", " + stateLabel(cell) + (cell.reason.isEmpty() ? QString() : ": " + cell.reason);
        }
    }
    setAccessibleDescription(text);
    QAccessibleEvent event(this, QAccessible::DescriptionChanged);
    QAccessible::updateAccessibility(&event);
}

void Board::walk(int down, int right) {
    const auto rows = shown();
    if (rows.empty()) return;
    BoardPlace next = selected_;
    int column = -1;
    if (selected_.column)
        column = static_cast<int>(std::find(columns().begin(), columns().end(), *selected_.column) -
                                  columns().begin());
    column = std::clamp(column + right, -1, static_cast<int>(columns().size()) - 1);
    next.column =
        column < 0 ? std::nullopt : std::optional(columns()[static_cast<std::size_t>(column)]);
    int index = selected_.row.empty() ? -1 : indexOf(selected_.row);
    index = std::clamp(index + down, next.column ? -1 : 0, static_cast<int>(rows.size()) - 1);
    next.row = index < 0 ? std::string() : rows[static_cast<std::size_t>(index)]->id;
    select(next);
}

void Board::keyPressEvent(QKeyEvent* event) {
    const int page = std::max(1, (viewport()->height() - kHeadHeight) / rowHeight_ - 1);
    Row const* row = findRow(workspace_.session(), selected_.row);
    switch (event->key()) {
        case Qt::Key_Left:
            walk(0, -1);
            return;
        case Qt::Key_Right:
            walk(0, 1);
            return;
        case Qt::Key_Up:
            walk(-1, 0);
            return;
        case Qt::Key_Down:
            walk(1, 0);
            return;
        case Qt::Key_PageUp:
            walk(-page, 0);
            return;
        case Qt::Key_PageDown:
            walk(page, 0);
            return;
        case Qt::Key_Home:
            walk(-1000, 0);
            return;
        case Qt::Key_End:
            walk(1000, 0);
            return;
        case Qt::Key_Return:
        case Qt::Key_Enter:
            if (!workspace_.empty()) emit opened(selected_);
            return;
        case Qt::Key_M:
            if (row != nullptr && row->kind != RowKind::reference)
                workspace_.setMute(row->id, !row->mute);
            return;
        case Qt::Key_S:
            if (row != nullptr && row->kind == RowKind::reference)
                hearReference(row->id);
            else if (row != nullptr)
                workspace_.stepSolo(row->id);
            return;
        case Qt::Key_F:
            if (row != nullptr && row->kind == RowKind::bus)
                setFolded(row->id, folded_.count(row->id) == 0);
            return;
        case Qt::Key_F2:
            if (row != nullptr) emit renameAsked(row->id);
            return;
        case Qt::Key_R:
            if (row != nullptr)
                emit rowMenuAsked(
                    row->id,
                    viewport()->mapToGlobal(cellRect({row->id, std::nullopt}).center().toPoint()));
            return;
        case Qt::Key_O:
            // The cell's step on and off.
            if (row != nullptr && selected_.column) {
                const Cell cell = cellOf(workspace_.session(), *row, *selected_.column, nullptr);
                if (!cell.stages.empty()) {
                    // An edit puts another session in the place of this row's.
                    const std::string id = row->id;
                    const bool on = !findStage(*row, cell.stages.front())->on;
                    workspace_.setStageOn(id, cell.stages.front(), on);
                    player_.matchSwitched(id, cell.stages.front(), on);
                }
            }
            return;
        default:
            QAbstractScrollArea::keyPressEvent(event);
    }
}

void Board::hearReference(const std::string& row) {
    player_.hearReference(player_.reference() == row ? std::string() : row);
}

void Board::mousePressEvent(QMouseEvent* event) {
    setFocus(Qt::MouseFocusReason);
    const BoardPlace place = placeAt(event->position());
    const Row* row = findRow(workspace_.session(), place.row);
    if (row != nullptr && !place.column) {
        if (row->kind != RowKind::reference && muteRect(row->id).contains(event->position())) {
            workspace_.setMute(row->id, !row->mute);
            return;
        }
        if (soloRect(row->id).contains(event->position())) {
            if (row->kind == RowKind::reference)
                hearReference(row->id);
            else
                workspace_.setSolo(row->id, !row->solo);
            return;
        }
        if (row->kind == RowKind::bus && event->position().x() < 22.0) {
            setFolded(row->id, folded_.count(row->id) == 0);
            return;
        }
    }
    if (place.row.empty() && !place.column) return;
    select(place);
}

void Board::mouseDoubleClickEvent(QMouseEvent* event) {
    const BoardPlace place = placeAt(event->position());
    if (place.row.empty() && !place.column) return;
    const Row* row = findRow(workspace_.session(), place.row);
    if (row != nullptr && !place.column &&
        (muteRect(row->id).contains(event->position()) ||
         soloRect(row->id).contains(event->position()))) {
        mousePressEvent(event);
        return;
    }
    emit opened(place);
}

void Board::wheelEvent(QWheelEvent* event) {
    if (event->modifiers().testFlag(Qt::ControlModifier)) {
        setRowHeight(rowHeight_ + (event->angleDelta().y() > 0 ? 6 : -6));
        return;
    }
    QAbstractScrollArea::wheelEvent(event);
}

void Board::contextMenuEvent(QContextMenuEvent* event) {
    const bool byKey = event->reason() == QContextMenuEvent::Keyboard;
    const BoardPlace place = byKey ? selected_ : placeAt(event->pos());
    if (findRow(workspace_.session(), place.row) == nullptr) return;
    if (!byKey) select(place);
    emit rowMenuAsked(place.row, byKey ? viewport()->mapToGlobal(cellRect(place).center().toPoint())
                                       : event->globalPos());
}

void Board::resizeEvent(QResizeEvent* event) {
    QAbstractScrollArea::resizeEvent(event);
    layOut();
}

bool Board::viewportEvent(QEvent* event) {
    if (event->type() != QEvent::ToolTip) return QAbstractScrollArea::viewportEvent(event);
    auto* help = static_cast<QHelpEvent*>(event);
    const BoardPlace place = placeAt(help->pos());
    QString text;
    const Row* row = findRow(workspace_.session(), place.row);
    if (place.column) {
        text = columnHelp(*place.column);
        if (row != nullptr) {
            const Cell cell = cellAt(*row, *place.column);
            text = cell.state == CellState::notApplicable
                       ? QString()
                       : QString::fromStdString(row->name) + ", " + columnLabel(*place.column) +
                             ": " + stateLabel(cell) +
                             (cell.reason.isEmpty() ? QString() : ". " + cell.reason);
        } else {
            text += tr(" Double-click to open this step for every row.");
        }
    } else if (row != nullptr) {
        const bool reference = row->kind == RowKind::reference;
        text =
            muteRect(row->id).contains(help->pos()) && !reference
                ? tr("Mute: the row falls silent (M).")
            : soloRect(row->id).contains(help->pos()) && reference
                ? tr("Plays this reference in place of the mix, as loud as the mix is, from the "
                     "next beat on (S).")
            : soloRect(row->id).contains(help->pos())
                ? tr("Solo: only soloed rows sound (S).")
                : whoText(*row) + tr("Double-click to open the whole chain of %1; R or the right "
                                     "button changes its name, role, bus and pair.")
                                      .arg(QString::fromStdString(row->name));
    }
    QToolTip::showText(help->globalPos(), text, viewport());
    return true;
}

}  // namespace ember::app
