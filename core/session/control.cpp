#include "core/session/control.h"

#include "core/base/error.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// How far a parameter may lie from where the control would put it, as a share of its scale.
constexpr double kAgrees = 1e-3;

const Parameter& tableEntry(const Stage& stage, std::string_view id) {
    const ParameterTable table = processorType(stage.type).table;
    const int at = parameterIndex(table, id);
    if (at < 0)
        throw Error("“" + processorType(stage.type).label + "” has nothing called “" +
                    std::string(id) + "”; choose one of its parameters.");
    return table[static_cast<std::size_t>(at)];
}

double stageValue(const Stage& stage, std::string_view parameter) {
    return stage.values[static_cast<std::size_t>(
        parameterIndex(processorType(stage.type).table, parameter))];
}

double valueAt(const Parameter& p, const ControlTarget& t, double position) {
    const double a = toPosition(p, t.from), b = toPosition(p, t.to);
    return fromPosition(p, a + (b - a) * position / 100.0);
}
double positionAt(const Parameter& p, const ControlTarget& t, double value) {
    const double a = toPosition(p, t.from), b = toPosition(p, t.to);
    return std::clamp(100.0 * (toPosition(p, value) - a) / (b - a), 0.0, 100.0);
}

void refuseName(const std::string& name) {
    if (name.empty()) throw Error("A control needs a name.");
    if (name.size() > kLongestControlName)
        throw Error("A control’s name has at most " + std::to_string(kLongestControlName) +
                    " letters; choose a shorter one.");
}

void refuseUnknown(const Row& row, std::string_view control) {
    std::string known;
    for (const RowControl& c : controlsOf(row)) {
        if (c.name == control) return;
        known += (known.empty() ? "" : ", ") + c.name;
    }
    throw Error("“" + row.name + "” has no control “" + std::string(control) + "”" +
                (known.empty() ? "; make one on its bench." : "; it has " + known + "."));
}

// The rows that a control of this one moves.
std::vector<std::string> rowsMoved(const Session& session, std::string_view row,
                                   std::string_view control) {
    if (movesTogether(session, control)) return rowsWithControl(session, control);
    return {std::string(row)};
}

}  // namespace

bool controllable(const Stage& stage, const Parameter& parameter) {
    return stage.type != "align" && stage.type != "bleed" && !parameter.structural &&
           parameter.scale != Scale::toggle && parameter.scale != Scale::choice;
}

std::vector<RowControl> controlsOf(const Row& row) {
    std::vector<RowControl> out;
    for (const Stage& stage : row.chain) {
        for (std::size_t t = 0; t < stage.controls.size(); ++t) {
            const ControlTarget& target = stage.controls[t];
            const Parameter& p = tableEntry(stage, target.parameter);
            const double value = stageValue(stage, target.parameter);
            auto known = std::find_if(out.begin(), out.end(), [&](const RowControl& c) {
                return c.name == target.control;
            });
            if (known == out.end()) {
                out.push_back({target.control, positionAt(p, target, value), true, {}});
                known = out.end() - 1;
            }
            const double wanted = toPosition(p, valueAt(p, target, known->position));
            known->agrees = known->agrees && std::abs(wanted - toPosition(p, value)) < kAgrees;
            known->moves.push_back({stage.id, t});
        }
    }
    return out;
}

Session withControlTarget(Session session, std::string_view rowId, std::string_view stageId,
                          const ControlTarget& target) {
    Row& row = requireRow(session, rowId);
    Stage& stage = requireStage(row, stageId);
    refuseName(target.control);
    const Parameter& p = tableEntry(stage, target.parameter);
    const std::string called = parameterLabel(
        stage, static_cast<std::size_t>(&p - processorType(stage.type).table.data()));
    if (!controllable(stage, p))
        throw Error("“" + called +
                    "” cannot be moved by a control: it is a switch, a choice, or changes how late "
                    "the row is.");
    for (const double end : {target.from, target.to}) {
        if (!(end >= p.minimum && end <= p.maximum))
            throw Error("“" + called + "” goes from " + formatValue(p, p.minimum) + " to " +
                        formatValue(p, p.maximum) + "; choose ends within that.");
    }
    if (toPosition(p, target.from) == toPosition(p, target.to))
        throw Error("“" + called + "” would not move: choose two different ends.");
    for (ControlTarget& old : stage.controls) {
        if (old.parameter != target.parameter) continue;
        if (old.control != target.control)
            throw Error("“" + called + "” is moved by “" + old.control +
                        "”; take it away there first.");
        old = target;
        return session;
    }
    stage.controls.push_back(target);
    return session;
}

Session withoutControlTarget(Session session, std::string_view rowId, std::string_view stageId,
                             std::string_view control, std::string_view parameter) {
    Stage& stage = requireStage(requireRow(session, rowId), stageId);
    const std::size_t gone = std::erase_if(stage.controls, [&](const ControlTarget& t) {
        return t.control == control && t.parameter == parameter;
    });
    if (gone == 0)
        throw Error("“" + std::string(control) + "” does not move “" + std::string(parameter) +
                    "” there.");
    return session;
}

Session withControlMoved(Session session, std::string_view rowId, std::string_view control,
                         double position) {
    refuseUnknown(requireRow(session, rowId), control);
    if (!(position >= 0.0 && position <= 100.0))
        throw Error("A control stands between 0 and 100 %.");
    struct Value {
        std::string row, stage, parameter;
        double value;
    };
    std::vector<Value> values;
    for (const std::string& id : rowsMoved(session, rowId, control)) {
        for (const Stage& stage : findRow(session, id)->chain) {
            for (const ControlTarget& t : stage.controls) {
                if (t.control == control)
                    values.push_back({id, stage.id, t.parameter,
                                      valueAt(tableEntry(stage, t.parameter), t, position)});
            }
        }
    }
    for (const Value& v : values)
        session = withValue(std::move(session), v.row, v.stage, v.parameter, v.value);
    return session;
}

Session withControlEndHere(Session session, std::string_view rowId, std::string_view control,
                           bool hundred) {
    Row& row = requireRow(session, rowId);
    refuseUnknown(row, control);
    for (Stage& stage : row.chain) {
        for (ControlTarget& t : stage.controls) {
            if (t.control != control) continue;
            const double now = stageValue(stage, t.parameter);
            if (now != (hundred ? t.from : t.to)) (hundred ? t.to : t.from) = now;
        }
    }
    return session;
}

Session withControlNamed(Session session, std::string_view rowId, std::string_view control,
                         const std::string& name) {
    refuseUnknown(requireRow(session, rowId), control);
    refuseName(name);
    for (const std::string& id : rowsMoved(session, rowId, control)) {
        Row& row = requireRow(session, id);
        for (const RowControl& c : controlsOf(row)) {
            if (c.name == name && name != control)
                throw Error("“" + row.name + "” has a control “" + name +
                            "” already; choose another name.");
        }
        for (Stage& stage : row.chain) {
            for (ControlTarget& t : stage.controls) {
                if (t.control == control) t.control = name;
            }
        }
    }
    std::replace(session.together.begin(), session.together.end(), std::string(control), name);
    return session;
}

Session withoutControl(Session session, std::string_view rowId, std::string_view control) {
    Row& row = requireRow(session, rowId);
    refuseUnknown(row, control);
    for (Stage& stage : row.chain)
        std::erase_if(stage.controls, [&](const ControlTarget& t) { return t.control == control; });
    return session;
}

bool movesTogether(const Session& session, std::string_view control) {
    return std::find(session.together.begin(), session.together.end(), control) !=
           session.together.end();
}

Session withControlTogether(Session session, const std::string& control, bool together) {
    refuseName(control);
    std::erase(session.together, control);
    if (together) session.together.push_back(control);
    return session;
}

std::vector<std::string> rowsWithControl(const Session& session, std::string_view control) {
    std::vector<std::string> out;
    for (const Row& row : session.rows) {
        const bool has = std::any_of(row.chain.begin(), row.chain.end(), [&](const Stage& stage) {
            return std::any_of(stage.controls.begin(), stage.controls.end(),
                               [&](const ControlTarget& t) { return t.control == control; });
        });
        if (has) out.push_back(row.id);
    }
    return out;
}

}  // namespace ember
