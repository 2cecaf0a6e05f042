#include "core/report/punch.h"

#include "core/base/statistics.h"
#include "core/measure/kit/kit_mics.h"
#include "core/measure/strokes/played.h"
#include "core/measure/strokes/stroke_figures.h"
#include "core/session/graph.h"

#include <algorithm>

namespace ember {

Punch punchOf(std::span<const std::span<const float>> channels, const std::vector<double>& times,
              double rate) {
    std::vector<double> crests, ratios;
    for (const double t : times) {
        const auto from = static_cast<std::size_t>(std::max(0.0, t * rate));
        std::vector<std::span<const float>> stroke;
        for (const std::span<const float> side : channels) {
            if (from < side.size()) stroke.push_back(side.subspan(from));
        }
        if (stroke.empty()) continue;
        const StrokeFigures figures = readStroke(stroke, rate);
        if (figures.energy < 1e-9) continue;
        crests.push_back(figures.crestDb);
        ratios.push_back(figures.transientToBodyDb);
    }
    return {median(std::move(crests)), median(std::move(ratios))};
}

std::vector<double> punchTimes(const Session& session, const std::vector<Stroke>& strokes,
                               const std::string& id) {
    const std::string drum = drumOfRow(session, id);
    double moved = 0.0;
    if (const Row* row = findRow(session, id)) {
        if (const Stage* align = findStage(*row, "align"); align != nullptr && align->on) {
            const int delay = parameterIndex(processorType("align").table, "delay");
            moved = align->values[static_cast<std::size_t>(delay)] * 1e-3;
        }
    }
    std::vector<double> times;
    const auto take = [&](const std::vector<Stroke>& from) {
        for (const Stroke& s : from) {
            const bool full = s.kind == StrokeKind::accent || s.kind == StrokeKind::normal;
            if (full && (drum.empty() || s.drum == drum)) times.push_back(s.time + moved);
        }
    };
    take(strokes);
    take(programmedStrokes(session));
    std::sort(times.begin(), times.end());
    return times;
}

std::map<std::string, std::vector<double>> struckIn(const Session& session, const std::string& bus,
                                                    double from, double to) {
    constexpr std::size_t kLeastStruck = 3;
    std::map<std::string, std::vector<double>> out;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::element || row.drum.empty() || out.contains(row.drum) ||
            !leadsTo(session, row.id, bus))
            continue;
        std::vector<double> at = punchTimes(session, session.strokes.get(), row.id);
        std::erase_if(at, [&](double t) { return t < from || t > to - kPunchLong; });
        for (double& t : at) t -= from;
        if (at.size() >= kLeastStruck) out.emplace(row.drum, std::move(at));
    }
    return out;
}

}  // namespace ember
