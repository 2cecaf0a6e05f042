#include "app/board/cell.h"

#include "app/theme/theme.h"

#include <QCoreApplication>
#include <QPainterPath>

#include <algorithm>
#include <filesystem>

namespace ember::app {
namespace {

QString tr(const char* text) {
    return QCoreApplication::translate("Cell", text);
}

// What went wrong with a step as it was measured; empty when nothing did.
QString trouble(const Row& row, const Stage& stage, const StageTrace* t, const RowTrace* whole) {
    if (stage.type == "align") {
        bool missing = false;
        eachRecording(row, [&](const Source& source) {
            std::error_code code;
            missing = missing || !std::filesystem::exists(source.file, code);
        });
        if (missing)
            return playsRecordings(row) ? tr("The recording is missing.")
                                        : tr("The sound of a layer is missing.");
    }
    if (t == nullptr || !stage.on) return {};
    if (stage.type == "gate" && !t->gainDb.empty() &&
        std::none_of(t->gainDb.begin(), t->gainDb.end(), [](float g) { return g > -0.1F; })) {
        return tr("Nothing opens this gate.");
    }
    if (stage.type == "seat" && row.kind == RowKind::main && whole->output.truePeak > 0.0)
        return tr("The mix goes above full scale.");
    return {};
}

}  // namespace

std::span<const Column> columnsOf(const Session& session) {
    static constexpr std::array<Column, 7> kWithLayers{
        Column::align,  Column::gate,   Column::repair, Column::dynamics,
        Column::colour, Column::layers, Column::seat};
    if (std::any_of(session.rows.begin(), session.rows.end(),
                    [](const Row& row) { return !row.layers.empty(); }))
        return kWithLayers;
    return kColumns;
}

QString columnLabel(Column column) {
    switch (column) {
        case Column::align:
            return tr("Align");
        case Column::gate:
            return tr("Gate");
        case Column::repair:
            return tr("Repair");
        case Column::dynamics:
            return tr("Dynamics");
        case Column::colour:
            return tr("Colour");
        case Column::layers:
            return tr("Layers");
        case Column::seat:
            return tr("Seat");
        default:
            return {};
    }
}

QString columnHelp(Column column) {
    switch (column) {
        case Column::align:
            return tr("Trim, polarity and delay: brings the microphones of one drum together.");
        case Column::gate:
            return tr("Separates a drum from its neighbours before anything lifts the bleed.");
        case Column::repair:
            return tr(
                "Equaliser, de-harsher: first remove what hurts, then give back what is missing.");
        case Column::dynamics:
            return tr(
                "Compressor, transient shaper, limiter, pump: evens strokes out, shapes their "
                "attack against their body, or steps back under other drums.");
        case Column::colour:
            return tr(
                "Saturation, exciter, clipper, crusher, weight, resonator, modulation, delay, "
                "reverb: harmonics, density, movement, space.");
        case Column::layers:
            return tr("Sounds that strokes start: weight, stick, texture and tail of one hit.");
        case Column::seat:
            return tr("Level, pan and width: where the row sits in the mix.");
        default:
            return {};
    }
}

QString stateLabel(CellState state) {
    switch (state) {
        case CellState::notApplicable:
            return tr("not applicable");
        case CellState::untouched:
            return tr("untouched");
        case CellState::proposed:
            return tr("proposed");
        case CellState::decided:
            return tr("decided");
        case CellState::off:
            return tr("off for now");
        case CellState::attention:
            return tr("needs attention");
    }
    return {};
}

Cell cellOf(const Session& session, const Row& row, Column column, const RowTrace* trace) {
    (void)session;
    Cell cell;
    if (column == Column::layers) {
        if (row.layers.empty()) return cell;
        const bool any = std::any_of(row.layers.begin(), row.layers.end(),
                                     [](const Layer& layer) { return layer.is(Layer::on); });
        cell.state = any ? CellState::decided : CellState::off;
        return cell;
    }
    int latestBefore = -1;
    bool departs = false;
    for (std::size_t i = 0; i < row.chain.size(); ++i) {
        const Stage& stage = row.chain[i];
        const Column home = processorType(stage.type).home;
        if (static_cast<int>(home) < latestBefore && home == column) departs = true;
        // A step also departs when one that belongs left of it comes later.
        if (home == column) {
            for (std::size_t k = i + 1; k < row.chain.size(); ++k)
                departs = departs || processorType(row.chain[k].type).home < column;
        }
        latestBefore = std::max(latestBefore, static_cast<int>(home));
        if (home != column) continue;
        cell.stages.push_back(stage.id);
        cell.moves = cell.moves || std::any_of(stage.curves.begin(), stage.curves.end(),
                                               [](const Curve& curve) { return curve.on; });
        if (cell.stages.size() == 1) cell.ordinal = static_cast<int>(i);
        CellState state = CellState::untouched;
        if (stage.mark == Mark::proposed) state = CellState::proposed;
        if (stage.mark == Mark::decided) state = stage.on ? CellState::decided : CellState::off;
        const StageTrace* t =
            trace != nullptr && i < trace->stages.size() ? &trace->stages[i] : nullptr;
        if (const QString why = trouble(row, stage, t, trace); !why.isEmpty()) {
            state = CellState::attention;
            cell.reason = why;
        }
        cell.state = std::max(cell.state, state);
    }
    // A gate is what one looks for there; bleed has a page of its own.
    if (cell.stages.size() > 1 && findStage(row, cell.stages.front())->type == "bleed")
        std::rotate(cell.stages.begin(), cell.stages.begin() + 1, cell.stages.end());
    if (!departs) cell.ordinal = 0;
    return cell;
}

QString stateLabel(const Cell& cell) {
    return stateLabel(cell.state) +
           (cell.offered ? QObject::tr(", something else is proposed") : QString()) +
           (cell.moves ? QObject::tr(", a curve moves it") : QString());
}

void paintState(QPainter& painter, QPointF c, double size, const Cell& cell) {
    const CellState state = cell.state;
    if (state == CellState::notApplicable) return;
    const Palette& p = colours();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    const double r = size / 2.0;
    const QRectF dot(c.x() - r, c.y() - r, size, size);
    if (cell.offered) {
        painter.setPen(QPen(p.honey, 1.4));
        painter.setBrush(Qt::NoBrush);
        painter.drawArc(dot.adjusted(-3.0, -3.0, 3.0, 3.0), 90 * 16, 180 * 16);
    }
    switch (state) {
        case CellState::untouched:
            painter.setPen(QPen(p.quiet, 1.4));
            painter.setBrush(Qt::NoBrush);
            painter.drawEllipse(dot);
            break;
        case CellState::proposed:
            painter.setPen(QPen(p.honey, 1.4));
            painter.setBrush(Qt::NoBrush);
            painter.drawEllipse(dot);
            painter.setBrush(p.honey);
            painter.drawPie(dot, 90 * 16, 180 * 16);
            break;
        case CellState::decided:
            painter.setPen(Qt::NoPen);
            painter.setBrush(p.patina);
            painter.drawEllipse(dot);
            break;
        case CellState::off:
            painter.setPen(QPen(p.quiet, 1.4));
            painter.setBrush(Qt::NoBrush);
            painter.drawEllipse(dot);
            painter.drawLine(QPointF(c.x() - r * 1.5, c.y() + r * 1.5),
                             QPointF(c.x() + r * 1.5, c.y() - r * 1.5));
            break;
        case CellState::attention: {
            // The spur: a dot with a thorn.
            QPainterPath spur;
            spur.addEllipse(dot);
            spur.moveTo(c.x() - r * 0.7, c.y() - r * 0.6);
            spur.lineTo(c.x() + r * 0.9, c.y() - r * 2.3);
            spur.lineTo(c.x() + r * 0.9, c.y());
            spur.closeSubpath();
            spur.setFillRule(Qt::WindingFill);
            painter.setPen(Qt::NoPen);
            painter.setBrush(p.alarm);
            painter.drawPath(spur);
            break;
        }
        case CellState::notApplicable:
            break;
    }
    painter.restore();
}

}  // namespace ember::app
