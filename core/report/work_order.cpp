#include "core/report/work_order.h"

#include "core/base/number.h"

#include <algorithm>
#include <array>
#include <map>

namespace ember {
namespace {

constexpr std::array kOrderOfWork{Column::align,  Column::gate,   Column::repair, Column::dynamics,
                                  Column::colour, Column::layers, Column::seat};

// Seconds that each line took.
std::vector<double> secondsOf(std::span<const LogEntry> log) {
    std::vector<double> out(log.size(), 0.0);
    for (std::size_t i = 0; i < log.size();) {
        std::size_t end = i + 1;
        while (end < log.size() && log[end].time == log[i].time) ++end;
        if (i > 0) {
            const std::int64_t gap =
                std::clamp<std::int64_t>(log[i].time - log[i - 1].time, 0, kLongestPause);
            for (std::size_t k = i; k < end; ++k)
                out[k] = static_cast<double>(gap) / static_cast<double>(end - i);
        }
        i = end;
    }
    return out;
}

}  // namespace

WorkOrder workOrder(const Session& session, std::span<const LogEntry> log) {
    WorkOrder out;
    const auto has = [](const Row& row, Column step) {
        return std::any_of(row.chain.begin(), row.chain.end(),
                           [&](const Stage& s) { return processorType(s.type).home == step; });
    };
    for (const Column step : kOrderOfWork) {
        if (std::any_of(session.rows.begin(), session.rows.end(),
                        [&](const Row& row) { return has(row, step); }))
            out.steps.push_back(step);
    }
    out.stepMinutes.assign(out.steps.size(), 0.0);
    for (const Column step : out.steps) out.budgets.push_back(stepBudget(session, step));
    std::map<std::string, std::size_t, std::less<>> lineOf;
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::reference) continue;
        WorkOrder::Line line{row.id, {}};
        for (const Column step : out.steps) {
            WorkOrder::Cell cell;
            for (const Stage& stage : row.chain) {
                if (processorType(stage.type).home != step) continue;
                cell.any = true;
                cell.mark = std::max(cell.mark, stage.mark);
            }
            if (cell.any) ++(cell.mark == Mark::decided ? out.decided : out.open);
            line.cells.push_back(cell);
        }
        lineOf.emplace(row.id, out.lines.size());
        out.lines.push_back(std::move(line));
    }
    const std::vector<double> seconds = secondsOf(log);
    for (std::size_t i = 0; i < log.size(); ++i) {
        const double minutes = seconds[i] / 60.0;
        out.total += minutes;
        const auto at = lineOf.find(log[i].what.row);
        if (at == lineOf.end()) {
            out.elsewhere += minutes;
            continue;
        }
        WorkOrder::Line& line = out.lines[at->second];
        line.minutes += minutes;
        const Stage* stage = findStage(*findRow(session, line.row), log[i].what.stage);
        if (stage == nullptr) continue;
        const auto step =
            std::find(out.steps.begin(), out.steps.end(), processorType(stage->type).home);
        if (step == out.steps.end()) continue;
        const auto s = static_cast<std::size_t>(step - out.steps.begin());
        line.cells[s].minutes += minutes;
        out.stepMinutes[s] += minutes;
    }
    return out;
}

std::string minutesText(double minutes) {
    if (minutes <= 0.0) return "–";
    return minutes < 0.95 ? "under 1" : numberText(minutes, 0);
}

std::string inWords(const WorkOrder& work, const Session& session) {
    std::string out = std::to_string(work.decided) + " of " +
                      std::to_string(work.decided + work.open) + " steps are decided.";
    if (work.total <= 0.0) return out + " Nothing was written down yet that took time.";
    out +=
        " So far it took " + minutesText(work.total) + (work.total < 1.5 ? " minute" : " minutes");
    const auto most = std::max_element(
        work.lines.begin(), work.lines.end(),
        [](const WorkOrder::Line& a, const WorkOrder::Line& b) { return a.minutes < b.minutes; });
    if (most != work.lines.end() && most->minutes > 0.0)
        out += ", most of them on " + findRow(session, most->row)->name + " (" +
               minutesText(most->minutes) + ")";
    out += ".";
    for (std::size_t s = 0; s < work.steps.size(); ++s) {
        if (work.budgets[s] > 0.0 && work.stepMinutes[s] > work.budgets[s])
            out += " The step " + std::string(toString(work.steps[s])) + " took " +
                   minutesText(work.stepMinutes[s]) + " minutes of " +
                   minutesText(work.budgets[s]) + ".";
    }
    return out;
}

}  // namespace ember
