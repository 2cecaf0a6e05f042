#include "core/session/graph.h"

#include "core/session/split.h"

#include <algorithm>
#include <functional>

namespace ember {
namespace {

// The rows that a row's sound goes into.
std::vector<std::string_view> outputs(const Row& row) {
    std::vector<std::string_view> out;
    if (!row.parent.empty()) out.emplace_back(row.parent);
    for (const Send& send : row.sends) out.emplace_back(send.to);
    return out;
}

bool feeds(const Row& row, std::string_view id) {
    const auto out = outputs(row);
    return std::find(out.begin(), out.end(), id) != out.end();
}

void addHeard(const Session& session, std::string_view id, std::set<std::string>& out) {
    if (!out.insert(std::string(id)).second) return;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::reference && feeds(row, id)) addHeard(session, row.id, out);
        if (row.id != id) continue;
        for (const Stage& stage : row.chain) {
            if (!stage.key.empty()) addHeard(session, stage.key, out);
        }
    }
}

void addReached(const Session& session, std::string_view id, std::set<std::string>& out) {
    if (!out.insert(std::string(id)).second) return;
    for (const Row& row : session.rows) {
        if (row.id == id) {
            for (const std::string_view to : outputs(row)) addReached(session, to, out);
        }
        for (const Stage& stage : row.chain) {
            if (stage.key == id) addReached(session, row.id, out);
        }
    }
}

void addKeys(const Session& session, const Row& row, std::vector<std::string>& out) {
    const auto add = [&](const Row& needed) {
        if (std::find(out.begin(), out.end(), needed.id) != out.end()) return;
        out.push_back(needed.id);
        addKeys(session, needed, out);
    };
    for (const Stage& stage : row.chain) {
        const Row* key = stage.key.empty() ? nullptr : findRow(session, stage.key);
        if (key == nullptr) continue;
        add(*key);
        if (hasSources(key->kind)) continue;
        for (const std::string& id : heardIn(session, key->id)) {
            if (const Row* member = findRow(session, id)) add(*member);
        }
    }
}

// A walk along what a row's sound goes into, back to where it has been.
class LoopFinder {
  public:
    explicit LoopFinder(const Session& session) : session_(session) {}
    std::vector<std::string> find() {
        for (const Row& row : session_.rows) {
            if (visit(row)) return loop_;
        }
        return {};
    }

  private:
    bool visit(const Row& row) {
        if (done_.count(row.id) > 0) return false;
        if (const auto at = std::find(way_.begin(), way_.end(), row.id); at != way_.end()) {
            loop_.assign(at, way_.end());
            loop_.push_back(row.id);
            return true;
        }
        way_.push_back(row.id);
        for (const std::string_view to : outputs(row)) {
            const Row* next = findRow(session_, to);
            if (next != nullptr && visit(*next)) return true;
        }
        if (!hasSources(row.kind)) {
            for (const Row& other : session_.rows) {
                if (std::any_of(other.chain.begin(), other.chain.end(),
                                [&](const Stage& stage) { return stage.key == row.id; }) &&
                    visit(other))
                    return true;
            }
        }
        way_.pop_back();
        done_.insert(row.id);
        return false;
    }

    const Session& session_;
    std::vector<std::string> way_, loop_;
    std::set<std::string> done_;
};

}  // namespace

std::vector<const Row*> wayOut(const Session& session, std::string_view row) {
    std::vector<const Row*> way;
    for (const Row* at = findRow(session, row); at != nullptr && way.size() <= session.rows.size();
         at = at->parent.empty() ? nullptr : findRow(session, at->parent))
        way.push_back(at);
    return way;
}

bool leadsTo(const Session& session, std::string_view from, std::string_view to) {
    std::set<std::string_view> seen;
    const std::function<bool(std::string_view)> leads = [&](std::string_view id) {
        if (id == to) return true;
        const Row* row = seen.insert(id).second ? findRow(session, id) : nullptr;
        if (row == nullptr) return false;
        const auto out = outputs(*row);
        return std::any_of(out.begin(), out.end(), leads);
    };
    return findRow(session, from) != nullptr && leads(from);
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

int groupOf(const Session& session, const Row& row) {
    const std::string bus = beyondStreams(session, hasSources(row.kind) ? row.parent : row.id);
    int group = 0;
    for (const Row& r : session.rows) {
        if (r.kind != RowKind::bus || isStream(r)) continue;
        const Row* above = findRow(session, beyondStreams(session, r.parent));
        const bool fed =
            std::any_of(session.rows.begin(), session.rows.end(), [&](const Row& member) {
                return hasSources(member.kind) && beyondStreams(session, member.parent) == r.id;
            });
        if (!fed || above == nullptr || above->kind != RowKind::bus) continue;
        if (r.id == bus) return group;
        ++group;
    }
    return -1;
}

std::vector<std::string> loopOf(const Session& session) {
    return LoopFinder(session).find();
}

}  // namespace ember
