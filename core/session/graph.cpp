#include "core/session/graph.h"

#include <algorithm>

namespace ember {
namespace {

// One walk for sessions that may be changed and for those that may not.
template <class Rows, class Found>
Found walk(Rows& session, std::string_view row) {
    Found way;
    for (auto* at = findRow(session, row); at != nullptr && way.size() <= session.rows.size();
         at = at->parent.empty() ? nullptr : findRow(session, at->parent))
        way.push_back(at);
    return way;
}

void addHeard(const Session& session, std::string_view id, std::set<std::string>& out) {
    if (!out.insert(std::string(id)).second) return;
    for (const Row& row : session.rows) {
        if (row.parent == id && row.kind != RowKind::reference) addHeard(session, row.id, out);
        if (row.id != id) continue;
        for (const Stage& stage : row.chain) {
            if (!stage.key.empty()) addHeard(session, stage.key, out);
        }
    }
}

void addReached(const Session& session, std::string_view id, std::set<std::string>& out) {
    if (!out.insert(std::string(id)).second) return;
    for (const Row& row : session.rows) {
        if (row.id == id && !row.parent.empty()) addReached(session, row.parent, out);
        for (const Stage& stage : row.chain) {
            if (stage.key == id) addReached(session, row.id, out);
        }
    }
}

void addKeys(const Session& session, const Row& row, std::vector<std::string>& out) {
    for (const Stage& stage : row.chain) {
        const Row* key = stage.key.empty() ? nullptr : findRow(session, stage.key);
        if (key == nullptr || std::find(out.begin(), out.end(), key->id) != out.end()) continue;
        out.push_back(key->id);
        addKeys(session, *key, out);
    }
}

}  // namespace

std::vector<const Row*> wayOut(const Session& session, std::string_view row) {
    return walk<const Session, std::vector<const Row*>>(session, row);
}

std::vector<Row*> wayOut(Session& session, std::string_view row) {
    return walk<Session, std::vector<Row*>>(session, row);
}

bool leadsTo(const Session& session, std::string_view from, std::string_view to) {
    const auto way = wayOut(session, from);
    return std::any_of(way.begin(), way.end(), [&](const Row* row) { return row->id == to; });
}

std::set<std::string> heardIn(const Session& session, std::string_view row) {
    std::set<std::string> out;
    addHeard(session, row, out);
    return out;
}

std::set<std::string> reachedBy(const Session& session, std::string_view row) {
    std::set<std::string> out;
    addReached(session, row, out);
    return out;
}

std::vector<std::string> keysOf(const Session& session, std::string_view row) {
    std::vector<std::string> out;
    if (const Row* at = findRow(session, row)) addKeys(session, *at, out);
    std::erase(out, row);
    return out;
}

}  // namespace ember
