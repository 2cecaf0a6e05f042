#include "core/session/step.h"

#include <algorithm>

namespace ember {
namespace {

Session withoutRows(const Session& session) {
    Session rest = session;
    rest.rows.clear();
    return rest;
}

// Whether two rows differ in nothing but stages that both have at the same places.
bool alikeButStages(const Row& a, const Row& b) {
    const bool same = std::equal(a.chain.begin(), a.chain.end(), b.chain.begin(), b.chain.end(),
                                 [](const Stage& x, const Stage& y) { return x.id == y.id; });
    if (!same) return false;
    Row shell = a;
    shell.chain = b.chain;
    return shell == b;
}

void addStage(const Stage& was, const Stage& is, int row, int place, Step& step) {
    if (was == is) return;
    Stage moved = was;
    moved.values = is.values;
    if (moved != is || was.values.size() != is.values.size()) {
        step.stages.push_back({row, place, is});
        return;
    }
    for (std::size_t v = 0; v < is.values.size(); ++v) {
        if (was.values[v] != is.values[v])
            step.values.push_back({row, place, static_cast<int>(v), is.values[v]});
    }
}

void addRow(const Row* was, const Row& is, int place, Step& step) {
    if (was != nullptr && *was == is) return;
    if (was == nullptr || !alikeButStages(*was, is)) {
        step.rows.push_back(is);
        return;
    }
    for (std::size_t s = 0; s < is.chain.size(); ++s)
        addStage(was->chain[s], is.chain[s], place, static_cast<int>(s), step);
}

}  // namespace

Step stepBetween(const Session& from, const Session& to) {
    Step step;
    Session rest = withoutRows(to);
    if (rest != withoutRows(from)) step.rest = std::make_shared<const Session>(std::move(rest));
    const bool inOrder =
        std::equal(from.rows.begin(), from.rows.end(), to.rows.begin(), to.rows.end(),
                   [](const Row& a, const Row& b) { return a.id == b.id; });
    for (std::size_t r = 0; r < to.rows.size(); ++r) {
        const Row& row = to.rows[r];
        if (!inOrder) step.order.push_back(row.id);
        addRow(inOrder ? &from.rows[r] : findRow(from, row.id), row, static_cast<int>(r), step);
    }
    return step;
}

Session stepTaken(Session from, const Step& step) {
    std::vector<Row> rows = std::move(from.rows);
    Session out;
    if (step.rest)
        out = *step.rest;
    else
        out = std::move(from);
    const auto place = [](std::vector<Row>& list, const std::string& id) {
        return std::find_if(list.begin(), list.end(), [&](const Row& r) { return r.id == id; });
    };
    if (step.order.empty()) {
        out.rows = std::move(rows);
    } else {
        out.rows.clear();
        for (const std::string& id : step.order) {
            const auto at = place(rows, id);
            out.rows.push_back(at != rows.end() ? std::move(*at) : Row{});
            out.rows.back().id = id;
        }
    }
    for (const Row& row : step.rows) {
        if (const auto at = place(out.rows, row.id); at != out.rows.end()) *at = row;
    }
    const auto stageAt = [&](int row, int stage) -> Stage& {
        return out.rows[static_cast<std::size_t>(row)].chain[static_cast<std::size_t>(stage)];
    };
    for (const StageStep& s : step.stages) stageAt(s.row, s.place) = s.stage;
    for (const ValueStep& v : step.values)
        stageAt(v.row, v.stage).values[static_cast<std::size_t>(v.index)] = v.value;
    return out;
}

}  // namespace ember
