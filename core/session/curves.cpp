#include "core/session/curves.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/dsp/equaliser.h"
#include "core/dsp/pump.h"
#include "core/session/movement.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

namespace ember {
namespace {

// A send's level and pan go by the seat's.
constexpr const char* kSendParameters[] = {"level", "pan"};

const Row& rowOf(const Session& session, std::string_view id) {
    if (const Row* row = findRow(session, id)) return *row;
    throw Error("There is no row “" + std::string(id) + "”; choose one of the session's.");
}

// Why no curve may move anything of a stage; empty where one may.
std::string fixed(const Stage& stage) {
    if (stage.type == "align")
        return "Align belongs to the recording and stays the same through the song.";
    if (stage.type == "bleed")
        return "What bleed is turned to stays the same through the song: duplicate the row for "
               "another part.";
    return {};
}

bool movable(const Parameter& parameter) {
    return !parameter.structural && !parameter.id.ends_with("listen");
}

std::vector<Curve>& curvesAt(Session& session, const CurvePlace& place) {
    Row& row = requireRow(session, place.row);
    if (!place.stage.empty()) return requireStage(row, place.stage).curves;
    const auto send = std::find_if(row.sends.begin(), row.sends.end(),
                                   [&](const Send& s) { return s.to == place.send; });
    if (send == row.sends.end())
        throw Error("“" + row.name + "” sends nothing to “" + place.send +
                    "”; make the send first.");
    return send->curves;
}

const Curve* among(const std::vector<Curve>& curves, std::string_view parameter) {
    const auto at = std::find_if(curves.begin(), curves.end(),
                                 [&](const Curve& c) { return c.parameter == parameter; });
    return at != curves.end() ? &*at : nullptr;
}

}  // namespace

CurvePlace curvePlaceFrom(const Session& session, std::string_view rowId, std::string_view text) {
    const Row& row = rowOf(session, rowId);
    CurvePlace place{row.id, {}, {}, {}};
    const auto dot = text.find('.');
    if (dot == std::string_view::npos || dot + 1 == text.size())
        throw Error("“" + std::string(text) +
                    "” names no parameter: write PROCESSOR.PARAMETER, for example seat.level, or "
                    "send.BUS.level.");
    const std::string_view head = text.substr(0, dot), rest = text.substr(dot + 1);
    if (head == "send") {
        const auto last = rest.rfind('.');
        if (last == std::string_view::npos)
            throw Error("“" + std::string(text) + "” names no send: write send.BUS.level.");
        place.send = rest.substr(0, last);
        place.parameter = rest.substr(last + 1);
    } else {
        place.stage = head;
        place.parameter = rest;
    }
    curveParameter(session, place);
    return place;
}

std::string toText(const CurvePlace& place) {
    return (place.stage.empty() ? "send." + place.send : place.stage) + "." + place.parameter;
}

const Parameter& curveParameter(const Session& session, const CurvePlace& place) {
    const Row& row = rowOf(session, place.row);
    const ProcessorType* type = &processorType("seat");
    if (place.stage.empty()) {
        if (findSend(row, place.send) == nullptr)
            throw Error("“" + row.name + "” sends nothing to “" + place.send +
                        "”; make the send first.");
        if (std::none_of(std::begin(kSendParameters), std::end(kSendParameters),
                         [&](const char* id) { return place.parameter == id; }))
            throw Error("A send has a level and a pan that curves may move, and no “" +
                        place.parameter + "”.");
    } else {
        const Stage* stage = findStage(row, place.stage);
        if (stage == nullptr)
            throw Error("“" + row.name + "” has no processor “" + place.stage + "”.");
        if (const std::string why = fixed(*stage); !why.empty()) throw Error(why);
        type = &processorType(stage->type);
    }
    const int index = parameterIndex(type->table, place.parameter);
    if (index < 0) throw Error(type->label + " has no parameter “" + place.parameter + "”.");
    const Parameter& parameter = type->table[static_cast<std::size_t>(index)];
    if (parameter.structural)
        throw Error("No curve may move “" + parameter.label +
                    "”: it changes how late the sound comes. Set it by hand.");
    if (!movable(parameter))
        throw Error("“" + parameter.label + "” is for listening and no part of the mix.");
    return parameter;
}

std::string curveTitle(const Session& session, const CurvePlace& place) {
    const std::string& label = curveParameter(session, place).label;
    const Row& row = rowOf(session, place.row);
    if (place.stage.empty()) {
        const Row* bus = findRow(session, place.send);
        return "Send to " + (bus != nullptr ? bus->name : place.send) + " · " + label;
    }
    const Stage& stage = *findStage(row, place.stage);
    const ProcessorType& type = processorType(stage.type);
    const auto index = static_cast<std::size_t>(parameterIndex(type.table, place.parameter));
    return (stage.id == stage.type ? type.label : type.label + " (" + stage.id + ")") + " · " +
           parameterLabel(stage, index);
}

std::vector<CurvePlace> curvePlaces(const Session& session, std::string_view rowId) {
    const Row& row = rowOf(session, rowId);
    std::vector<CurvePlace> out;
    for (const Stage& stage : row.chain) {
        if (!fixed(stage).empty()) continue;
        const ParameterTable table = processorType(stage.type).table;
        for (std::size_t i = 0; i < table.size(); ++i) {
            const bool unused = stage.type == "eq" && i < static_cast<std::size_t>(kEqAmount) &&
                                !eqBandInUse(stage.values, static_cast<int>(i) / kEqFields);
            if (movable(table[i]) && !unused) out.push_back({row.id, stage.id, {}, table[i].id});
        }
    }
    for (const Send& send : row.sends) {
        for (const char* id : kSendParameters) out.push_back({row.id, {}, send.to, id});
    }
    return out;
}

std::vector<CurvePlace> drawnCurves(const Row& row) {
    std::vector<CurvePlace> out;
    for (const Stage& stage : row.chain) {
        for (const Curve& c : stage.curves) out.push_back({row.id, stage.id, {}, c.parameter});
    }
    for (const Send& send : row.sends) {
        for (const Curve& c : send.curves) out.push_back({row.id, {}, send.to, c.parameter});
    }
    return out;
}

double beatOf(const Stage& stage) {
    if (stage.type != "pump") return 0.0;
    switch (static_cast<int>(stage.values[Pump::by])) {
        case Pump::eighths:
            return 0.5;
        case Pump::quarters:
            return 1.0;
        case Pump::halves:
            return 2.0;
        case Pump::bars:
            return std::numeric_limits<double>::infinity();
        default:
            return 0.0;
    }
}

bool goesByTime(const Row& row) {
    return !drawnCurves(row).empty() ||
           std::any_of(row.chain.begin(), row.chain.end(),
                       [](const Stage& stage) { return beatOf(stage) > 0.0; });
}

std::string curveProblem(const Session& session, const Row& row) {
    std::vector<CurvePlace> seen;
    for (const CurvePlace& place : drawnCurves(row)) {
        if (std::find(seen.begin(), seen.end(), place) != seen.end())
            return "“" + row.name + "” has two curves of “" + toText(place) + "”; remove one.";
        seen.push_back(place);
        try {
            const std::string problem =
                problemIn(*findCurve(session, place), curveParameter(session, place));
            if (!problem.empty()) return "“" + row.name + "”: " + problem;
        } catch (const Error& error) {
            return "“" + row.name + "”: " + error.what();
        }
    }
    return {};
}

std::string repeatText(const Curve& curve) {
    if (curve.bars <= 0) return {};
    return curve.bars == 1 ? ", anew every bar"
                           : ", anew every " + std::to_string(curve.bars) + " bars";
}

std::string placeText(const TimeMap& time, double quarter) {
    const BarPlace at = placeAt(time, secondsAt(time, quarter));
    return std::to_string(at.bar + 1) + ":" + numberText(at.beat + 1.0, 2);
}

std::string curveText(const Session& session, const CurvePlace& place) {
    constexpr std::size_t kTold = 24;
    const Curve& c = *findCurve(session, place);
    const Parameter& parameter = curveParameter(session, place);
    std::string text;
    for (std::size_t i = 0; i < std::min(kTold, c.points.size()); ++i) {
        const CurvePoint& p = c.points[i];
        text += (i > 0 ? ", " : "") + placeText(session.time, p.quarter) + " " +
                formatValue(parameter, p.value);
        if (p.shape != CurveShape::line) text += " (" + std::string(toString(p.shape)) + ")";
    }
    if (c.points.size() > kTold)
        text += " and " + std::to_string(c.points.size() - kTold) + " more";
    text += repeatText(c) + togetherText(c, parameter);
    return c.on ? text : text + ", off";
}

std::string curveChange(const Session& session, const CurvePlace& place, const Curve* was,
                        const Curve* is) {
    std::string what;
    if (is == nullptr)
        what = "follows no curve any more";
    else if (was == nullptr || is->points.size() != was->points.size())
        what = "follows a curve of " + std::to_string(is->points.size()) +
               (is->points.size() == 1 ? " point" : " points");
    else if (is->on != was->on)
        what = is->on ? "follows its curve" : "passes its curve by";
    else
        what = "curve moved";
    if (is != nullptr && (was == nullptr || was->bars != is->bars)) what += repeatText(*is);
    if (is != nullptr && (was == nullptr || was->together != is->together))
        what += is->together ? togetherText(*is, curveParameter(session, place))
                             : std::string(was != nullptr ? ", by itself" : "");
    // What it moved may have gone with it.
    std::string title = toText(place);
    try {
        title = curveTitle(session, place);
    } catch (const Error&) {
    }
    return title + " " + what;
}

const Curve* findCurve(const Session& session, const CurvePlace& place) {
    const Row* row = findRow(session, place.row);
    if (row == nullptr) return nullptr;
    if (place.stage.empty()) {
        const Send* send = findSend(*row, place.send);
        return send != nullptr ? among(send->curves, place.parameter) : nullptr;
    }
    const Stage* stage = findStage(*row, place.stage);
    return stage != nullptr ? among(stage->curves, place.parameter) : nullptr;
}

Curve* findCurve(Session& session, const CurvePlace& place) {
    const Curve* found = findCurve(std::as_const(session), place);
    if (found == nullptr) return nullptr;
    std::vector<Curve>& curves = curvesAt(session, place);
    return curves.data() + (found - curves.data());
}

double valueUnder(const Session& session, const CurvePlace& place) {
    const Row& row = rowOf(session, place.row);
    if (place.stage.empty()) {
        const Send& send = *findSend(row, place.send);
        return place.parameter == "level" ? send.levelDb : send.pan;
    }
    const Stage& stage = *findStage(row, place.stage);
    const int index = parameterIndex(processorType(stage.type).table, place.parameter);
    return stage.values[static_cast<std::size_t>(index)];
}

Session withCurve(Session session, const CurvePlace& place, Curve curve) {
    const Parameter& parameter = curveParameter(session, place);
    curve.parameter = place.parameter;
    std::stable_sort(
        curve.points.begin(), curve.points.end(),
        [](const CurvePoint& a, const CurvePoint& b) { return a.quarter < b.quarter; });
    if (const std::string problem = problemIn(curve, parameter); !problem.empty())
        throw Error(problem);
    std::vector<Curve>& curves = curvesAt(session, place);
    const auto at = std::find_if(curves.begin(), curves.end(),
                                 [&](const Curve& c) { return c.parameter == place.parameter; });
    // One that is drawn anew stays in its movement, and within its range there.
    if (!curve.together && at != curves.end()) curve.together = at->together;
    if (curve.together) {
        const auto [low, high] = std::minmax(curve.together->lowest, curve.together->highest);
        for (CurvePoint& p : curve.points) p.value = std::clamp(p.value, low, high);
    }
    if (at != curves.end())
        *at = std::move(curve);
    else
        curves.push_back(std::move(curve));
    if (!place.stage.empty()) {
        Stage& stage = requireStage(requireRow(session, place.row), place.stage);
        stage.on = true;
        stage.mark = Mark::decided;
    }
    return withFollowers(std::move(session), place);
}

Session withoutCurve(Session session, const CurvePlace& place) {
    std::vector<Curve>& curves = curvesAt(session, place);
    if (std::erase_if(curves, [&](const Curve& c) { return c.parameter == place.parameter; }) == 0)
        throw Error("“" + toText(place) + "” follows no curve.");
    return session;
}

Curve curveByStrokes(const Session& session, const CurvePlace& place,
                     const std::vector<Stroke>& struck, const StrokeOpening& opening) {
    const Parameter& parameter = curveParameter(session, place);
    if (opening.every < 1 || opening.first < 1)
        throw Error("Strokes are counted from 1: every and first take 1 or more.");
    // When it opens and when it closes; what would close after the next opening stays open.
    std::vector<std::pair<double, double>> spans;
    int count = 0;
    for (const Stroke& s : struck) {
        if (s.drum != opening.drum || (opening.kind && s.kind != *opening.kind)) continue;
        ++count;
        if (count < opening.first || (count - opening.first) % opening.every != 0) continue;
        const double from = quarterAt(session.time, s.time - 1e-3 * opening.aheadMs),
                     to = opening.quarters > 0.0
                              ? quarterAt(session.time, s.time) + opening.quarters
                              : quarterAt(session.time, s.time + opening.seconds);
        if (!spans.empty() && from <= spans.back().second)
            spans.back().second = to;
        else
            spans.emplace_back(from, to);
    }
    if (spans.empty())
        throw Error("There is no such stroke of the " + drumName(session, opening.drum) +
                    "; choose another drum or kind.");
    Curve curve{place.parameter};
    curve.points.push_back({spans.front().first - 1.0, opening.closed, CurveShape::hold});
    for (const auto& [from, to] : spans) {
        curve.points.push_back({from, opening.open, CurveShape::hold});
        curve.points.push_back({to, opening.closed, CurveShape::hold});
    }
    if (const std::string problem = problemIn(curve, parameter); !problem.empty())
        throw Error(problem);
    return curve;
}

}  // namespace ember
