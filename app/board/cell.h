// One cell of the Board: which steps it stands for, its state, its picture.
#pragma once

#include "app/workers/tracer.h"
#include "app/workers/workspace.h"
#include "core/dsp/processor.h"

#include <QPainter>
#include <QString>

#include <array>
#include <span>
#include <string>

namespace ember::app {

// The steps of a chain, from left to right.
inline constexpr std::array<Column, 6> kColumns{Column::align,    Column::gate,   Column::repair,
                                                Column::dynamics, Column::colour, Column::seat};
// What the Board shows: the same, and layers where any row of the session has some.
std::span<const Column> columnsOf(const Session& session);
QString columnLabel(Column column);
QString columnHelp(Column column);

enum class CellState { notApplicable, untouched, proposed, decided, off, attention };
QString stateLabel(CellState state);

struct Cell {
    CellState state = CellState::notApplicable;
    std::vector<std::string> stages;  // ids, in the chain's order
    int ordinal = 0;       // place in the chain where it departs from left to right; 0: usual
    QString reason;        // why it needs attention
    bool offered = false;  // something else is proposed than what was decided
    bool moves = false;    // a curve moves something of it along the song
};

Cell cellOf(const Session& session, const Row& row, Column column, const RowTrace* trace);

// The state in words, with what is proposed beside.
QString stateLabel(const Cell& cell);

// The state as a shape, `size` pixels wide, centred; half a ring around it where something else is
// proposed.
void paintState(QPainter& painter, QPointF centre, double size, const Cell& cell);

// The sounds of a row's layers drawn small, over one another.
void paintLayers(QPainter& painter, const QRectF& area, Workspace& workspace, const Row& row);
// The step drawn small and true.
void paintMiniature(QPainter& painter, const QRectF& area, Workspace& workspace, const Row& row,
                    const Stage& stage, const RowTrace* trace);

}  // namespace ember::app
