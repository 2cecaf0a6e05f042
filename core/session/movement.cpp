#include "core/session/movement.h"

#include "core/base/error.h"
#include "core/session/routing.h"

#include <algorithm>
#include <array>
#include <optional>
#include <utility>

namespace ember {
namespace {

constexpr std::array<std::pair<WaveForm, std::string_view>, 5> kForms{
    {{WaveForm::sine, "sine"},
     {WaveForm::triangle, "triangle"},
     {WaveForm::rise, "rise"},
     {WaveForm::fall, "fall"},
     {WaveForm::square, "square"}}};

// How far a value has come from one to another on a parameter's scale, 0..1; and the value there.
double shareOf(const Parameter& p, double value, double from, double to) {
    const double a = toPosition(p, from), b = toPosition(p, to);
    return std::clamp((toPosition(p, value) - a) / (b - a), 0.0, 1.0);
}
double valueAt(const Parameter& p, double share, double from, double to) {
    if (share <= 0.0) return from;
    if (share >= 1.0) return to;
    const double a = toPosition(p, from), b = toPosition(p, to);
    return std::clamp(fromPosition(p, a + share * (b - a)), p.minimum, p.maximum);
}

// The points of one curve at another's depth.
void take(Curve& into, const Parameter& parameter, const Curve& from, const Parameter& of) {
    const Together &mine = *into.together, &theirs = *from.together;
    into.bars = from.bars;
    into.points = from.points;
    for (CurvePoint& p : into.points)
        p.value = valueAt(parameter, shareOf(of, p.value, theirs.lowest, theirs.highest),
                          mine.lowest, mine.highest);
}

}  // namespace

std::vector<std::string> movements(const Session& session) {
    std::vector<std::string> out;
    for (const Row& row : session.rows) {
        for (const CurvePlace& place : drawnCurves(row)) {
            const auto& together = findCurve(session, place)->together;
            if (together && std::find(out.begin(), out.end(), together->movement) == out.end())
                out.push_back(together->movement);
        }
    }
    return out;
}

std::vector<CurvePlace> followers(const Session& session, std::string_view movement) {
    std::vector<CurvePlace> out;
    for (const Row& row : session.rows) {
        for (const CurvePlace& place : drawnCurves(row)) {
            const auto& together = findCurve(session, place)->together;
            if (together && together->movement == movement) out.push_back(place);
        }
    }
    return out;
}

Session withMovement(Session session, const CurvePlace& place, std::string movement, double lowest,
                     double highest) {
    const Parameter& parameter = curveParameter(session, place);
    if (movement.find_first_not_of(' ') == std::string::npos)
        throw Error("A movement needs a name by which others follow it; name it.");
    const std::vector<CurvePlace> known = followers(session, movement);
    const auto leader =
        std::find_if(known.begin(), known.end(), [&](const CurvePlace& p) { return p != place; });
    Curve next;
    if (const Curve* own = findCurve(session, place)) next = *own;
    next.parameter = place.parameter;
    const std::optional<Together> was = next.together;
    next.together = Together{std::move(movement), lowest, highest};
    if (leader != known.end()) {
        const Parameter& of = curveParameter(session, *leader);
        // A range that is none is told about before it is divided by.
        next.points = {{0.0, parameter.minimum}};
        if (const std::string problem = problemIn(next, parameter); !problem.empty())
            throw Error(problem);
        take(next, parameter, *findCurve(session, *leader), of);
        return withCurve(std::move(session), place, std::move(next));
    }
    if (next.points.empty())
        throw Error("Nothing moves “" + toText(place) + "” yet: draw its curve first, or a wave.");
    // Its own points become the movement: from as low to as high as they go, or as it went before.
    const auto [low, high] = std::minmax_element(
        next.points.begin(), next.points.end(),
        [](const CurvePoint& a, const CurvePoint& b) { return a.value < b.value; });
    const double from = was ? was->lowest : low->value, to = was ? was->highest : high->value;
    if (from == to)
        throw Error("The curve of “" + toText(place) +
                    "” stays at one value; give it another point, or draw a wave.");
    if (const std::string problem = problemIn(next, parameter); !problem.empty())
        throw Error(problem);
    for (CurvePoint& p : next.points)
        p.value = valueAt(parameter, shareOf(parameter, p.value, from, to), lowest, highest);
    return withCurve(std::move(session), place, std::move(next));
}

Session withoutMovement(Session session, const CurvePlace& place) {
    const Curve* known = findCurve(session, place);
    if (known == nullptr || !known->together)
        throw Error("“" + toText(place) + "” moves by itself already.");
    findCurve(session, place)->together.reset();
    return session;
}

Session withFollowers(Session session, const CurvePlace& place) {
    const Curve lead = *findCurve(session, place);
    if (!lead.together) return session;
    const Parameter& of = curveParameter(session, place);
    for (const CurvePlace& other : followers(session, lead.together->movement)) {
        if (other == place) continue;
        take(*findCurve(session, other), curveParameter(session, other), lead, of);
    }
    return session;
}

std::string togetherText(const Curve& curve, const Parameter& parameter) {
    if (!curve.together) return {};
    const Together& t = *curve.together;
    return ", with “" + t.movement + "” from " + formatValue(parameter, t.lowest) + " to " +
           formatValue(parameter, t.highest);
}

std::string_view toString(WaveForm form) {
    for (const auto& [known, name] : kForms) {
        if (known == form) return name;
    }
    return "sine";
}

WaveForm waveFormFrom(std::string_view text) {
    std::string names;
    for (const auto& [form, name] : kForms) {
        if (name == text) return form;
        names += (names.empty() ? "" : ", ") + std::string(name);
    }
    throw Error("“" + std::string(text) + "” is no shape of a wave: " + names + ".");
}

Curve waveCurve(const Session& session, const CurvePlace& place, const Wave& wave) {
    const Parameter& parameter = curveParameter(session, place);
    if (wave.bars < 1 || wave.bars > kMostCurveBars || wave.cycles < 1 || wave.cycles > kMostCycles)
        throw Error("A wave takes 1 to " + std::to_string(kMostCurveBars) + " bars and 1 to " +
                    std::to_string(kMostCycles) + " cycles in them.");
    Curve out{place.parameter};
    out.bars = wave.bars;
    const double length =
        (quarterOfBar(session.time, wave.bars) - quarterOfBar(session.time, 0)) / wave.cycles;
    const auto put = [&](double at, double value, CurveShape shape) {
        out.points.push_back({at, value, shape});
    };
    const double low = wave.lowest, high = wave.highest;
    for (int c = 0; c < wave.cycles; ++c) {
        const double begin = c * length, middle = begin + 0.5 * length,
                     end = begin + (1.0 - 1e-6) * length;
        switch (wave.form) {
            case WaveForm::sine:
                put(begin, low, CurveShape::ease);
                put(middle, high, CurveShape::ease);
                break;
            case WaveForm::triangle:
                put(begin, low, CurveShape::line);
                put(middle, high, CurveShape::line);
                break;
            case WaveForm::rise:
                put(begin, low, CurveShape::line);
                put(end, high, CurveShape::hold);
                break;
            case WaveForm::fall:
                put(begin, high, CurveShape::line);
                put(end, low, CurveShape::hold);
                break;
            case WaveForm::square:
                put(begin, low, CurveShape::hold);
                put(middle, high, CurveShape::hold);
                break;
        }
    }
    if (const std::string problem = problemIn(out, parameter); !problem.empty())
        throw Error(problem);
    return out;
}

}  // namespace ember
