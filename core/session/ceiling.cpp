#include "core/session/ceiling.h"

#include "core/base/error.h"
#include "core/base/number.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

void refuseBeyond(double value, const Limits& limits, const std::string& what) {
    if (value >= limits.low && value <= limits.high) return;
    throw Error(what + " of the line over the spectrum goes from " + numberText(limits.low, 0) +
                " to " + numberText(limits.high, 0) + ".");
}

}  // namespace

double ceilingAt(const Ceiling& ceiling, double hertz) {
    const auto& points = ceiling.points;
    if (points.empty()) return kCeilingDb.high;
    const auto above = std::find_if(points.begin(), points.end(),
                                    [&](const CeilingPoint& p) { return p.hertz >= hertz; });
    if (above == points.begin()) return points.front().db;
    if (above == points.end()) return points.back().db;
    const CeilingPoint& below = *(above - 1);
    const double share = std::log2(hertz / below.hertz) / std::log2(above->hertz / below.hertz);
    return below.db + share * (above->db - below.db);
}

Session withCeiling(Session session, std::optional<Ceiling> ceiling) {
    if (ceiling) {
        refuseBeyond(ceiling->windowMs, kCeilingWindow, "The window");
        refuseBeyond(ceiling->averageMs, kCeilingAverage, "The averaging");
        refuseBeyond(ceiling->slopeDb, kCeilingSlope, "The slope");
        const auto& points = ceiling->points;
        if (points.size() < 2 || points.size() > kMostCeilingPoints)
            throw Error("A line over the spectrum has 2 to " + std::to_string(kMostCeilingPoints) +
                        " points.");
        for (std::size_t i = 0; i < points.size(); ++i) {
            refuseBeyond(points[i].hertz, kCeilingHertz, "A point");
            refuseBeyond(points[i].db, kCeilingDb, "The level");
            if (i > 0 && points[i].hertz <= points[i - 1].hertz)
                throw Error("The points of the line over the spectrum go from low to high.");
        }
    }
    session.ceiling = std::move(ceiling);
    return session;
}

}  // namespace ember
