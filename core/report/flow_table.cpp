#include "core/report/flow_table.h"

#include "core/dsp/seat.h"
#include "core/session/graph.h"
#include "core/session/routing.h"

namespace ember {
namespace {

FlowCell cellOf(const Session& session, const Row& row, const std::string& bus) {
    if (row.id == bus) return {FlowCell::Kind::itself, 0.0, {}};
    if (row.parent == bus)
        return {FlowCell::Kind::output, row.chain.back().values[Seat::level], {}};
    if (const Send* send = findSend(row, bus)) return {FlowCell::Kind::send, send->levelDb, *send};
    if (leadsTo(session, bus, row.id)) return {FlowCell::Kind::round, 0.0, {}};
    return {};
}

}  // namespace

FlowTable flowTable(const Session& session) {
    FlowTable table;
    std::string main;
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::bus) table.buses.push_back(row.id);
        if (row.kind == RowKind::main) main = row.id;
    }
    if (!main.empty()) table.buses.push_back(main);
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::reference || row.kind == RowKind::main) continue;
        table.rows.push_back(row.id);
        std::vector<FlowCell>& cells = table.cells.emplace_back();
        for (const std::string& bus : table.buses) cells.push_back(cellOf(session, row, bus));
    }
    return table;
}

}  // namespace ember
