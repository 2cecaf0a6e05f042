#include "cli/own.h"

#include "cli/edit.h"
#include "cli/set.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/report/work_order.h"
#include "core/session/control.h"
#include "core/session/file.h"
#include "core/session/split.h"

#include <utility>

namespace ember::cli {
namespace {

// "eq.b1.gain": the stage, and its parameter.
std::pair<std::string, std::string> placeFrom(const std::string& text) {
    const auto dot = text.find('.');
    if (dot == std::string::npos || dot == 0 || dot + 1 == text.size())
        throw Error("“" + text +
                    "” names no parameter; say it as STEP.PARAMETER, as in eq.b1.gain.");
    return {text.substr(0, dot), text.substr(dot + 1)};
}

const Parameter& parameterAt(Session& session, const std::string& row, const std::string& stage,
                             const std::string& parameter) {
    const Stage& s = requireStage(requireRow(session, row), stage);
    const ParameterTable table = processorType(s.type).table;
    const int at = parameterIndex(table, parameter);
    if (at < 0)
        throw Error(processorType(s.type).label + " has nothing called “" + parameter + "”.");
    return table[static_cast<std::size_t>(at)];
}

const Parameter& corner(const char* id) {
    const ParameterTable table = processorType("part").table;
    return table[static_cast<std::size_t>(parameterIndex(table, id))];
}

const Parameter& percentage() {
    static const Parameter p{"position", "A control", Unit::percent, 0.0, 100.0, 0.0, Scale::linear,
                             "",         {}};
    return p;
}

}  // namespace

OwnCommands::OwnCommands(CLI::App& app) {
    const auto command = [&](const char* name, const char* text) {
        CLI::App* sub = app.add_subcommand(name, text);
        sub->add_option("session", session_)->required();
        return sub;
    };
    split_ = command("split", "a row or bus in streams with chains of their own");
    split_->add_option("row", row_)->required();
    std::vector<std::string> kinds;
    for (const SplitKind& kind : splitKinds()) kinds.push_back(kind.id);
    split_->add_option("--by", by_, "sides, middle, bands, three or halves")
        ->check(CLI::IsMember(kinds));
    split_->add_option("--lower", lower_, "where the lows end, in all streams: 200 Hz");
    split_->add_option("--upper", upper_, "where the highs begin: 3k");
    join_ = command("join", "a row that was split, as it was");
    join_->add_option("row", row_)->required();
    control_ = command("control", "few controls of one's own that move several parameters");
    control_->add_option("row", row_)->required();
    control_->add_option("name", name_, "of a control; without, all are listed");
    control_->add_option("position", value_, "0 to 100 %: moves it there");
    control_->add_option("--moves", moves_, "one parameter more: eq.b1.gain");
    control_->add_option("--from", from_, "its value at 0 %");
    control_->add_option("--to", to_, "its value at 100 %");
    control_->add_option("--drops", drops_, "a parameter that it moves no longer");
    control_->add_option("--rename", rename_, "another name");
    control_
        ->add_option("--together", together_,
                     "whether it moves every row that has one of this name: yes or no")
        ->check(CLI::IsMember({"yes", "no"}));
    control_->add_flag("--remove", remove_, "without it; what it moved stays where it is");
    work_ = command("work", "how far the work is, by row and step, and the minutes it took");
    work_->add_option("--budget", budgets_, "minutes for a step: repair=20 (0: none)");
}

void OwnCommands::run(bool json) {
    const Output out{json};
    if (*split_) split(out);
    if (*join_)
        changeSession(out, session_, [&](Session s) {
            const std::string row = rowIn(s);
            return withSplitJoined(std::move(s), row);
        });
    if (*control_) name_.empty() ? listControls(out) : control(out);
    if (*work_) work(out);
}

// By its id or its name.
std::string OwnCommands::rowIn(const Session& session) const {
    return rowByIdOrName(session, row_).id;
}

void OwnCommands::split(const Output& out) {
    if (by_.empty() && lower_.empty() && upper_.empty())
        throw Error("Say what it is split by (--by), or where its bands meet (--lower, --upper).");
    changeSession(out, session_, [&](Session s) {
        const std::string row = rowIn(s);
        if (!by_.empty()) s = withSplit(std::move(s), row, by_);
        if (!lower_.empty())
            s = withSplitCorner(std::move(s), row, "lower", parseValue(corner("lower"), lower_));
        if (!upper_.empty())
            s = withSplitCorner(std::move(s), row, "upper", parseValue(corner("upper"), upper_));
        return s;
    });
}

void OwnCommands::control(const Output& out) {
    changeSession(out, session_, [&](Session s) {
        const std::string row = rowIn(s);
        if (!drops_.empty()) {
            const auto [stage, parameter] = placeFrom(drops_);
            s = withoutControlTarget(std::move(s), row, stage, name_, parameter);
        }
        if (!moves_.empty()) {
            const auto [stage, parameter] = placeFrom(moves_);
            const Parameter& p = parameterAt(s, row, stage, parameter);
            s = withControlTarget(
                std::move(s), row, stage,
                {name_, parameter, from_.empty() ? p.minimum : parseValue(p, from_),
                 to_.empty() ? p.maximum : parseValue(p, to_)});
        }
        if (!together_.empty()) s = withControlTogether(std::move(s), name_, together_ == "yes");
        if (!value_.empty())
            s = withControlMoved(std::move(s), row, name_, parseValue(percentage(), value_));
        if (!rename_.empty()) s = withControlNamed(std::move(s), row, name_, rename_);
        if (remove_) s = withoutControl(std::move(s), row, name_);
        return s;
    });
}

void OwnCommands::listControls(const Output& out) {
    Session session = loadDocument(session_).session();
    const Row& row = requireRow(session, rowIn(session));
    Json list = Json::array();
    for (const RowControl& c : controlsOf(row)) {
        out.say(c.name + "  " + numberText(c.position, 0) + " %" +
                (c.agrees ? "" : "  (not everything stands where it would put it)"));
        Json moved = Json::array();
        for (const RowControl::Moved& m : c.moves) {
            const Stage& stage = *findStage(row, m.stage);
            const ControlTarget& t = stage.controls[m.target];
            const Parameter& p = parameterAt(session, row.id, m.stage, t.parameter);
            out.say("  " + m.stage + "." + t.parameter + "  " + formatValue(p, t.from) + " → " +
                    formatValue(p, t.to));
            moved.push_back(
                {{"stage", m.stage}, {"parameter", t.parameter}, {"from", t.from}, {"to", t.to}});
        }
        list.push_back({{"control", c.name},
                        {"together", movesTogether(session, c.name)},
                        {"position", c.position},
                        {"agrees", c.agrees},
                        {"moves", moved}});
    }
    if (list.empty()) out.say(row.name + " has no controls of its own.");
    out.machine(list);
}

void OwnCommands::work(const Output& out) {
    if (!budgets_.empty()) {
        static const Parameter minutes{"minutes", "A budget",    Unit::none, 0.0, 10000.0,
                                       0.0,       Scale::linear, "",         {}};
        return changeSession(out, session_, [&](Session s) {
            for (const std::string& text : budgets_) {
                const auto is = text.find('=');
                if (is == std::string::npos)
                    throw Error("“" + text + "” is no budget; say it as STEP=MINUTES.");
                s = withStepBudget(std::move(s), stepFrom(text.substr(0, is)),
                                   parseValue(minutes, text.substr(is + 1)));
            }
            return s;
        });
    }
    const Document document = loadDocument(session_);
    const Session& session = document.session();
    const WorkOrder work = workOrder(session, document.log());
    out.say(inWords(work, session));
    Json rows = Json::array(), steps = Json::array();
    for (const WorkOrder::Line& line : work.lines) {
        Json cells = Json::array();
        for (std::size_t i = 0; i < work.steps.size(); ++i) {
            if (line.cells[i].any)
                cells.push_back({{"step", toString(work.steps[i])},
                                 {"mark", toString(line.cells[i].mark)},
                                 {"minutes", line.cells[i].minutes}});
        }
        rows.push_back({{"row", line.row}, {"minutes", line.minutes}, {"steps", cells}});
    }
    for (std::size_t i = 0; i < work.steps.size(); ++i) {
        out.say(std::string(toString(work.steps[i])) + "  " + minutesText(work.stepMinutes[i]) +
                (work.budgets[i] > 0.0 ? " of " + minutesText(work.budgets[i]) : "") + " min");
        steps.push_back({{"step", toString(work.steps[i])},
                         {"minutes", work.stepMinutes[i]},
                         {"budget", work.budgets[i]}});
    }
    out.machine({{"decided", work.decided},
                 {"open", work.open},
                 {"minutes", work.total},
                 {"elsewhere", work.elsewhere},
                 {"steps", steps},
                 {"rows", rows}});
}

}  // namespace ember::cli
