#include "core/session/curve.h"

#include "core/base/error.h"
#include "core/base/number.h"

#include <algorithm>
#include <cmath>
#include <functional>

namespace ember {

std::string_view toString(CurveShape shape) {
    switch (shape) {
        case CurveShape::hold:
            return "hold";
        case CurveShape::ease:
            return "ease";
        case CurveShape::line:
            break;
    }
    return "line";
}

CurveShape curveShapeFrom(std::string_view text) {
    for (const CurveShape shape : {CurveShape::hold, CurveShape::line, CurveShape::ease}) {
        if (text == toString(shape)) return shape;
    }
    throw Error("“" + std::string(text) + "” is no shape of a curve: hold, line or ease.");
}

std::string problemIn(const Curve& curve, const Parameter& parameter) {
    const std::string what = "The curve of “" + parameter.label + "” ";
    if (parameter.structural)
        return "No curve may move “" + parameter.label +
               "”: it changes how late the sound comes. Set it by hand.";
    if (curve.points.empty()) return what + "has no points; give it one or take it away.";
    if (curve.points.size() > kMostCurvePoints)
        return what + "has " + std::to_string(curve.points.size()) + " points; it may have " +
               std::to_string(kMostCurvePoints) + ".";
    if (curve.bars < 0 || curve.bars > kMostCurveBars)
        return what + "repeats every " + std::to_string(curve.bars) + " bars; it may be 1 to " +
               std::to_string(kMostCurveBars) + ", or 0 for a curve that does not repeat.";
    double before = curve.bars > 0 ? 0.0 : -kLastCurveQuarter;
    for (const CurvePoint& p : curve.points) {
        if (!(p.value >= parameter.minimum && p.value <= parameter.maximum))
            return what + "has a point outside " + formatValue(parameter, parameter.minimum) +
                   " to " + formatValue(parameter, parameter.maximum) + "; move it.";
        if (!(p.quarter >= before && p.quarter <= kLastCurveQuarter))
            return what + "has a point out of order or place, at quarter " +
                   numberText(p.quarter, 3) + "; move or remove it.";
        before = p.quarter;
    }
    if (!curve.together) return {};
    const Together& t = *curve.together;
    if (t.movement.empty() || t.movement.size() > kLongestMovement)
        return what + "moves together with what has no name, or one of more than " +
               std::to_string(kLongestMovement) + " letters; name it.";
    const auto inside = [&](double v) { return v >= parameter.minimum && v <= parameter.maximum; };
    if (!inside(t.lowest) || !inside(t.highest) || t.lowest == t.highest)
        return what + "moves together with “" + t.movement + "” between " +
               formatValue(parameter, t.lowest) + " and " + formatValue(parameter, t.highest) +
               "; choose two values between " + formatValue(parameter, parameter.minimum) +
               " and " + formatValue(parameter, parameter.maximum) + ".";
    return {};
}

std::vector<CurvePoint> pointsAlong(const Curve& curve, const TimeMap& time, double until) {
    if (curve.bars <= 0) return curve.points;
    std::vector<CurvePoint> out;
    const auto floorTo = [&](int bar) {
        const int rest = ((bar % curve.bars) + curve.bars) % curve.bars;
        return bar - rest;
    };
    const int last = barAt(time, std::max(0.0, until));
    for (int bar = floorTo(barAt(time, std::min(0.0, time.start))); bar <= last;
         bar += curve.bars) {
        const double begin = quarterOfBar(time, bar), end = quarterOfBar(time, bar + curve.bars);
        for (const CurvePoint& p : curve.points) {
            if (begin + p.quarter >= end) break;  // a metre that is shorter cuts it
            out.push_back({begin + p.quarter, p.value, p.shape});
        }
    }
    return out;
}

CurveLine::CurveLine(const Curve& curve, const Parameter& parameter, const TimeMap& time,
                     double rate, double until)
    : parameter_(parameter) {
    const double jump = 1e-3 * kJumpMs * rate;
    const std::vector<CurvePoint> points = pointsAlong(curve, time, until);
    for (std::size_t i = 0; i < points.size(); ++i) {
        const CurvePoint& p = points[i];
        Knot knot{secondsAt(time, p.quarter) * rate, toPosition(parameter, p.value), p.shape};
        // What holds, and what stands at the same place, is left by a jump that begins here.
        if (!knots_.empty()) {
            const Knot before = knots_.back();
            knot.frame = std::max(knot.frame, before.frame);
            if (before.shape == CurveShape::hold || knot.frame - before.frame < jump) {
                const double end = i + 1 < points.size()
                                       ? secondsAt(time, points[i + 1].quarter) * rate
                                       : knot.frame + 2.0 * jump;
                const double arrives =
                    knot.frame + std::min(jump, std::max(1.0, 0.5 * (end - knot.frame)));
                knots_.back().shape = CurveShape::line;
                knots_.push_back({knot.frame, before.position, CurveShape::ease});
                knots_.push_back({arrives, knot.position, knot.shape});
                continue;
            }
        }
        knots_.push_back(knot);
    }
    std::string all = parameter.id;
    for (const Knot& k : knots_)
        all += " " + plainText(k.frame, 6) + " " + plainText(k.position, 12) +
               std::string(toString(k.shape));
    hash_ = std::hash<std::string>{}(all);
}

std::size_t CurveLine::behind(double frame) const {
    const auto next = std::upper_bound(knots_.begin(), knots_.end(), frame,
                                       [](double f, const Knot& k) { return f < k.frame; });
    return static_cast<std::size_t>(next - knots_.begin());
}

double CurveLine::between(std::size_t next, double frame) const {
    if (next == 0) return knots_.front().position;
    const Knot& a = knots_[next - 1];
    if (next == knots_.size() || a.shape == CurveShape::hold) return a.position;
    const Knot& b = knots_[next];
    const double span = b.frame - a.frame;
    double share = span > 0.0 ? (frame - a.frame) / span : 1.0;
    if (a.shape == CurveShape::ease) share = share * share * (3.0 - 2.0 * share);
    return a.position + share * (b.position - a.position);
}

double CurveLine::at(double frame) const {
    return fromPosition(parameter_, between(behind(frame), frame));
}

void CurveLine::read(Frames from, std::span<double> out) const {
    const auto begin = static_cast<double>(from);
    std::size_t next = behind(begin);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double frame = begin + static_cast<double>(i);
        while (next < knots_.size() && knots_[next].frame <= frame) ++next;
        out[i] = fromPosition(parameter_, between(next, frame));
    }
}

}  // namespace ember
