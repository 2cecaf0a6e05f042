#include "core/session/routing.h"

#include "core/base/error.h"
#include "core/session/graph.h"
#include "core/session/kit.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// What echoes or rings.
bool isEffect(const Stage& stage) {
    return stage.type == "delay" || stage.type == "reverb";
}

}  // namespace

void seatRow(Session& session, std::string_view id) {
    const auto at = std::find_if(session.rows.begin(), session.rows.end(),
                                 [&](const Row& r) { return r.id == id; });
    Row row = std::move(*at);
    session.rows.erase(at);
    auto to = std::find_if(session.rows.begin(), session.rows.end(),
                           [&](const Row& r) { return r.id == row.parent; });
    for (auto r = session.rows.begin(); r != session.rows.end(); ++r) {
        if (r->parent == row.parent && r->kind == row.kind &&
            kitOrder(r->role) > kitOrder(row.role)) {
            to = r;
            break;
        }
    }
    session.rows.insert(to, std::move(row));
}

Session withBus(Session session, std::string_view id, std::string_view bus) {
    const std::string rowId(id), busId(bus);
    Row& row = requireRow(session, rowId);
    if (row.kind == RowKind::main || row.kind == RowKind::reference)
        throw Error("“" + row.name + "” feeds nothing; choose an element or a bus.");
    if (hasSources(requireRow(session, busId).kind))
        throw Error("“" + requireRow(session, busId).name +
                    "” is no bus; choose a bus or the main.");
    row.parent = busId;
    // What feeds a bus is not sent to it beside.
    std::erase_if(row.sends, [&](const Send& send) { return send.to == busId; });
    // A row stands before what it feeds.
    const auto place = [&](const std::string& r) {
        return std::find_if(session.rows.begin(), session.rows.end(),
                            [&](const Row& x) { return x.id == r; });
    };
    if (hasSources(row.kind)) {
        seatRow(session, rowId);
    } else if (place(rowId) > place(busId)) {
        std::rotate(place(busId), place(rowId), place(rowId) + 1);
    }
    if (const std::string problem = validate(session); !problem.empty()) throw Error(problem);
    return session;
}

Session withBusAdded(Session session, const std::string& name) {
    Row bus;
    const std::string id = bus.id = makeRowId(session, name);
    bus.kind = RowKind::bus;
    bus.parent = mainRow(session);
    bus.chain = makeChain(RowKind::bus);
    const auto main = std::find_if(session.rows.begin(), session.rows.end(),
                                   [&](const Row& row) { return row.kind == RowKind::main; });
    session.rows.insert(main, std::move(bus));
    return withName(std::move(session), id, name);
}

Session withBusRemoved(Session session, std::string_view id) {
    const Row bus = requireRow(session, id);
    if (bus.kind != RowKind::bus)
        throw Error("“" + bus.name + "” is no bus that could be removed.");
    std::erase_if(session.rows, [&](const Row& row) { return row.id == bus.id; });
    for (Row& row : session.rows) {
        if (row.parent == bus.id) row.parent = bus.parent;
        std::erase_if(row.sends,
                      [&](const Send& send) { return send.to == bus.id || send.to == row.parent; });
        for (Stage& stage : row.chain) {
            if (stage.key == bus.id) stage.key.clear();
        }
    }
    return session;
}

Session withRowsAndKeys(const Session& session, std::vector<std::string> rows) {
    std::vector<std::string> keys;
    for (const std::string& row : std::vector(rows)) {
        for (const std::string& key : keysOf(session, row)) {
            if (std::find(rows.begin(), rows.end(), key) != rows.end()) continue;
            keys.push_back(key);
            rows.push_back(key);
        }
    }
    Session out = withOnlyRows(session, rows);
    const auto isKey = [&](const std::string& row) {
        return std::find(keys.begin(), keys.end(), row) != keys.end();
    };
    for (const std::string& key : keys) {
        Row& row = requireRow(out, key);
        // What feeds a bus that is listened to is heard there, and nowhere else.
        std::erase_if(row.sends, [&](const Send& send) { return !isKey(send.to); });
        row.mute = !isKey(row.parent);
    }
    return out;
}

const Send* findSend(const Row& row, std::string_view to) {
    const auto at = std::find_if(row.sends.begin(), row.sends.end(),
                                 [&](const Send& send) { return send.to == to; });
    return at == row.sends.end() ? nullptr : &*at;
}

Session withSend(Session session, std::string_view rowId, const Send& send) {
    Row& row = requireRow(session, rowId);
    requireRow(session, send.to);
    if (!(send.levelDb >= kSendLowest && send.levelDb <= kSendHighest))
        throw Error("The level of a send lies between −90 and +12 dB.");
    if (!(std::abs(send.pan) <= 100.0))
        throw Error("The pan of a send lies between −100 and +100 %.");
    const auto at = std::find_if(row.sends.begin(), row.sends.end(),
                                 [&](const Send& s) { return s.to == send.to; });
    if (at == row.sends.end())
        row.sends.push_back(send);
    else
        *at = send;
    if (const std::string problem = validate(session); !problem.empty()) throw Error(problem);
    return session;
}

Session withSendRemoved(Session session, std::string_view rowId, std::string_view to) {
    Row& row = requireRow(session, rowId);
    if (std::erase_if(row.sends, [&](const Send& send) { return send.to == to; }) == 0)
        throw Error("“" + row.name + "” has no send to “" + std::string(to) + "”.");
    return session;
}

Session withWidth(Session session, double percent) {
    std::vector<std::string> wide;
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::element && (row.sources.size() > 1 || !row.layers.empty()))
            wide.push_back(row.id);
    }
    for (const std::string& row : wide)
        session = withValue(std::move(session), row, "seat", "width", percent);
    return session;
}

Session withoutEffects(Session session) {
    for (Row& row : session.rows) {
        for (Send& send : row.sends) send.on = false;
        for (Stage& stage : row.chain) {
            if (isEffect(stage)) stage.on = false;
        }
    }
    return session;
}

bool hasEffects(const Session& session) {
    return std::any_of(session.rows.begin(), session.rows.end(), [](const Row& row) {
        return std::any_of(row.sends.begin(), row.sends.end(),
                           [](const Send& send) { return send.on; }) ||
               std::any_of(row.chain.begin(), row.chain.end(),
                           [](const Stage& stage) { return stage.on && isEffect(stage); });
    });
}

}  // namespace ember
