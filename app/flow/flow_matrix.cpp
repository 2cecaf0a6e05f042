#include "app/flow/flow_matrix.h"

#include "app/flow/flow_cell.h"
#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/dsp/seat.h"
#include "core/session/graph.h"
#include "core/session/routing.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QMouseEvent>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr int kNameWidth = 142, kHeadText = kNameWidth - 28, kBusWidth = 70;  // pixels
constexpr double kDbPerPixel = 0.15;

const Parameter& levelOf() {
    return processorType("seat").table[Seat::level];
}

// The hoop of a group, in front of a row's name.
QPixmap hoopMark(int group) {
    QPixmap mark(5, 18);
    mark.fill(group >= 0 ? hoopColour(group) : QColor(Qt::transparent));
    return mark;
}

double peakOf(const std::vector<float>& peaks) {
    const auto loudest = std::max_element(peaks.begin(), peaks.end());
    return loudest != peaks.end() ? dbFromGain(static_cast<double>(*loudest)) : kSilenceDb;
}

}  // namespace

FlowMatrix::FlowMatrix(Workspace& workspace, Tracer& tracer, Player& player, QWidget* parent)
    : LevelTable(kDbPerPixel, parent), workspace_(workspace), tracer_(tracer), player_(player) {
    setObjectName("flow-matrix");
    setAccessibleName(tr("What every row feeds and sends where"));
    setItemDelegate(new FlowCellPainter(this));
    horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    horizontalHeader()->setMinimumSectionSize(kBusWidth);
    verticalHeader()->setDefaultSectionSize(27);
    verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    verticalHeader()->setMaximumWidth(kNameWidth);
}

std::string FlowMatrix::chosenRow() const {
    const int row = currentRow();
    return row >= 0 && row < std::ssize(table_.rows) ? table_.rows[static_cast<std::size_t>(row)]
                                                     : std::string();
}

std::optional<FlowMatrix::Place> FlowMatrix::placeAt(int row, int column) const {
    if (row < 0 || row >= std::ssize(table_.rows) || column < 0 ||
        column >= std::ssize(table_.buses))
        return {};
    const auto r = static_cast<std::size_t>(row), c = static_cast<std::size_t>(column);
    return Place{table_.rows[r], table_.buses[c], table_.cells[r][c]};
}

QString FlowMatrix::nameOf(const std::string& id) const {
    const Row* row = findRow(workspace_.session(), id);
    return QString::fromStdString(row != nullptr ? row->name : id);
}

QString FlowMatrix::shortName(const std::string& row, int width) const {
    return fontMetrics().elidedText(nameOf(row), Qt::ElideRight, width);
}

QString FlowMatrix::told(const Place& place) const {
    const QString row = nameOf(place.row), bus = nameOf(place.bus),
                  level = figure(place.cell.levelDb);
    switch (place.cell.kind) {
        case FlowCell::Kind::output:
            return tr("%1 feeds %2, fader at %3 dB").arg(row, bus, level);
        case FlowCell::Kind::send: {
            const Send& send = place.cell.send;
            QString text = tr("%1 is sent to %2 at %3 dB, %4")
                               .arg(row, bus, level,
                                    send.before ? tr("before the fader") : tr("after the fader"));
            if (send.pan != 0.0) text += tr(", panned to %1").arg(figure(send.pan, 0));
            return send.on ? text : text + tr(", off");
        }
        case FlowCell::Kind::itself:
            return tr("%1 itself").arg(row);
        case FlowCell::Kind::round:
            return tr("%1 comes into %2: sent back, it would go round").arg(bus, row);
        case FlowCell::Kind::nothing:
            break;
    }
    return tr("%1 is not sent to %2").arg(row, bus);
}

void FlowMatrix::fill(int row, int column) {
    const auto place = placeAt(row, column);
    QTableWidgetItem* at = item(row, column);
    if (at == nullptr) setItem(row, column, at = new QTableWidgetItem);
    const FlowCell& cell = place->cell;
    const bool amount = cell.kind == FlowCell::Kind::output || cell.kind == FlowCell::Kind::send;
    at->setText(amount ? figure(cell.levelDb) : QString());
    at->setData(FlowCellPainter::kKind, static_cast<int>(cell.kind));
    at->setData(FlowCellPainter::kLevel, cell.levelDb);
    at->setData(FlowCellPainter::kOn, cell.kind != FlowCell::Kind::send || cell.send.on);
    at->setData(FlowCellPainter::kBefore, cell.send.before);
    at->setData(FlowCellPainter::kPan, cell.send.pan);
    const QString text = told(*place);
    at->setToolTip(text);
    at->setData(Qt::AccessibleTextRole, text);
    Qt::ItemFlags flags = Qt::ItemIsEnabled | Qt::ItemIsSelectable;
    if (amount || cell.kind == FlowCell::Kind::nothing) flags |= Qt::ItemIsEditable;
    at->setFlags(flags);
}

// The name of a row, whether it is heard, and whether it plays its print.
QTableWidgetItem* FlowMatrix::rowHead(const std::string& id) const {
    const Session& session = workspace_.session();
    const Row& row = *findRow(session, id);
    QString text, told = nameOf(id);
    if (const QString gives = player_.givesText(id); gives.isEmpty()) {
        text = shortName(id, kHeadText);
    } else {
        const QString after = ", " + gives;
        text = shortName(id, kHeadText - fontMetrics().horizontalAdvance(after)) + after;
        told += after;
    }
    auto* head = new QTableWidgetItem(QIcon(hoopMark(groupOf(session, row))), text);
    const bool heard = audible(session, row);
    if (!heard) head->setForeground(colours().quiet);
    head->setToolTip(row.mute ? tr("%1, muted").arg(told)
                     : heard  ? told
                              : tr("%1, closed by a solo").arg(told));
    return head;
}

void FlowMatrix::refresh() {
    filling_ = true;
    const Session& session = workspace_.session();
    table_ = flowTable(session);
    const auto rows = static_cast<int>(table_.rows.size()),
               buses = static_cast<int>(table_.buses.size());
    const bool first = rowCount() == 0;
    setRowCount(rows);
    setColumnCount(buses + 1);
    for (int r = 0; r < rows; ++r) {
        for (int c = 0; c < buses; ++c) fill(r, c);
    }
    filling_ = false;
    refreshFigures();
    if (first && rows > 0) setCurrentCell(0, 0);
}

void FlowMatrix::refreshFigures() {
    filling_ = true;
    for (int c = 0; c < columnCount() - 1; ++c) {
        const std::string& bus = table_.buses[static_cast<std::size_t>(c)];
        const auto trace = tracer_.of(bus);
        const double sum = trace && !trace->stages.empty() ? peakOf(trace->stages.front().inputPeak)
                                                           : kSilenceDb,
                     out = trace && !trace->stages.empty() ? peakOf(trace->stages.back().outputPeak)
                                                           : kSilenceDb;
        const bool known = sum > kSilenceDb + 1.0;
        const Row* row = findRow(workspace_.session(), bus);
        const bool over = row != nullptr && row->kind == RowKind::main && out > 0.0;
        auto* head =
            new QTableWidgetItem(shortName(bus, std::max(kBusWidth, columnWidth(c)) - 10) + "\n" +
                                 (over    ? tr("over by %1 dB").arg(figure(out))
                                  : known ? tr("%1 dB").arg(figure(sum))
                                          : QStringLiteral("–")));
        if (over) head->setForeground(colours().alarm);
        head->setToolTip(
            known ? tr("%1: what comes in peaks at %2 dBFS, what goes out at %3 dBFS%4")
                        .arg(nameOf(bus), figure(sum), figure(out),
                             over ? tr("; over full scale, it clips in a file of 16 or 24 bit")
                                  : QString())
                  : tr("%1: nothing was measured there yet, or nothing comes in").arg(nameOf(bus)));
        setHorizontalHeaderItem(c, head);
    }
    auto* late = new QTableWidgetItem(tr("Late\nms"));
    late->setToolTip(tr(
        "By how much a row is late behind its own chain. It is made up for wherever rows meet."));
    setHorizontalHeaderItem(columnCount() - 1, late);
    for (int r = 0; r < rowCount(); ++r) {
        const std::string& row = table_.rows[static_cast<std::size_t>(r)];
        setVerticalHeaderItem(r, rowHead(row));
        const auto ms = player_.lateMs(row);
        auto* cell = new QTableWidgetItem(ms ? figure(*ms) : QStringLiteral("–"));
        cell->setData(FlowCellPainter::kKind, -1);
        const QString text =
            ms ? tr("%1 is %2 ms late behind its chain").arg(nameOf(row), figure(*ms))
               : tr("%1 is not played yet").arg(nameOf(row));
        cell->setToolTip(text);
        cell->setData(Qt::AccessibleTextRole, text);
        cell->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
        setItem(r, columnCount() - 1, cell);
    }
    filling_ = false;
}

// --- Edits --------------------------------------------------------------------------

void FlowMatrix::toggle(const Place& place) {
    if (place.cell.kind == FlowCell::Kind::send) {
        Send send = place.cell.send;
        send.on = !send.on;
        return workspace_.setSend(place.row, send);
    }
    if (place.cell.kind == FlowCell::Kind::output)
        return emit workspace_.refused(tr("%1 feeds %2; O on another bus makes it feed that one.")
                                           .arg(nameOf(place.row), nameOf(place.bus)));
    Send send;
    send.to = place.bus;
    workspace_.setSend(place.row, send);
}

void FlowMatrix::setLevel(const Place& place, double db) {
    const double level = std::clamp(db, levelOf().minimum, levelOf().maximum);
    if (place.cell.kind == FlowCell::Kind::output)
        return workspace_.setValue(place.row, "seat", "level", level, place.row + "/seat/level");
    Send send = place.cell.send;
    send.to = place.bus;
    send.levelDb = level;
    workspace_.setSend(place.row, send, place.row + "/send/" + place.bus + "/level");
}

std::optional<double> FlowMatrix::levelAt(int row, int column) const {
    const auto place = placeAt(row, column);
    const bool any = place && (place->cell.kind == FlowCell::Kind::output ||
                               place->cell.kind == FlowCell::Kind::send);
    return any ? std::optional(place->cell.levelDb) : std::nullopt;
}

void FlowMatrix::moveLevel(int row, int column, double db) {
    setLevel(*placeAt(row, column), db);
}

void FlowMatrix::activate(int row, int column) {
    if (const auto place = placeAt(row, column)) toggle(*place);
}

void FlowMatrix::feed(const Place& place) {
    if (place.cell.kind != FlowCell::Kind::output) workspace_.setBus(place.row, place.bus);
}

void FlowMatrix::typed(int row, int column, const QString& text) {
    const auto place = placeAt(row, column);
    try {
        if (place && !text.trimmed().isEmpty()) {
            setLevel(*place, parseValue(levelOf(), text.toStdString()));
            workspace_.endGesture();
        }
    } catch (const Error& error) {
        emit workspace_.refused(QString::fromUtf8(error.what()));
    }
    refresh();
}

bool FlowMatrix::cellKey(QKeyEvent* event) {
    const auto place = current();
    if (!place) return false;
    switch (event->key()) {
        case Qt::Key_Return:
        case Qt::Key_Enter:
            toggle(*place);
            return true;
        case Qt::Key_Delete:
        case Qt::Key_Backspace:
            if (place->cell.kind == FlowCell::Kind::send)
                workspace_.removeSend(place->row, place->bus);
            return true;
        case Qt::Key_F:
            if (event->modifiers() != Qt::NoModifier) return false;
            if (place->cell.kind == FlowCell::Kind::send) {
                Send send = place->cell.send;
                send.before = !send.before;
                workspace_.setSend(place->row, send);
            }
            return true;
        case Qt::Key_O:
            feed(*place);
            return true;
        case Qt::Key_M:
            workspace_.setMute(place->row, !findRow(workspace_.session(), place->row)->mute);
            return true;
        case Qt::Key_S:
            workspace_.stepSolo(place->row);
            return true;
        case Qt::Key_R:
            emit rowMenuAsked(place->row,
                              viewport()->mapToGlobal(visualItemRect(currentItem()).center()));
            return true;
        default:
            return false;
    }
}

void FlowMatrix::contextMenuEvent(QContextMenuEvent* event) {
    const auto place = current();
    if (place) emit rowMenuAsked(place->row, event->globalPos());
}

}  // namespace ember::app
