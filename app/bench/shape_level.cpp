#include "app/bench/shape_curve.h"
#include "core/dsp/band_dynamics.h"

#include <QObject>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kCurveLow = -60.0;

template <class Out>
ShapeDrawing levels(const Out& out) {
    ShapeDrawing d;
    for (double in = kCurveLow; in <= 0.0; in += 0.25) {
        d.x << in;
        d.y << out(in);
    }
    d.baseX = d.baseY = {kCurveLow, 0.0};
    return d;
}

ShapeDrawing drawBand(const Stage& stage, const StageTrace* /*trace*/) {
    const auto mode = static_cast<BandMode>(std::lround(valueOf(stage, "mode")));
    const double threshold = valueOf(stage, "threshold"), ratio = valueOf(stage, "ratio"),
                 range = valueOf(stage, "range");
    const auto out = [&](double in) { return in + bandCurve(mode, in, threshold, ratio, range); };
    ShapeDrawing d = levels(out);
    // The far end of the curve, where the range shows.
    const double end = mode == BandMode::expand ? kCurveLow + 2.0 : -1.0;
    d.yFrom = mode == BandMode::expand ? kCurveLow - 30.0 : kCurveLow;
    d.yTo = mode == BandMode::raise ? 18.0 : 0.0;
    d.handles << ShapeHandle{"threshold", {}, Handle::Kind::point, threshold, out(threshold)}
              << ShapeHandle{"range", {}, Handle::Kind::point, end, out(end)};
    return d;
}

std::vector<ShapeMove> dragBand(const Stage& /*stage*/, const QString& handle, double x, double y) {
    if (handle == "threshold") return {{"threshold", x}};
    return {{"range", std::abs(y - x)}};
}

ShapeDrawing drawLimiter(const Stage& stage, const StageTrace* /*trace*/) {
    const double drive = valueOf(stage, "drive"), ceiling = valueOf(stage, "ceiling"),
                 output = valueOf(stage, "output");
    ShapeDrawing d = levels([&](double in) { return std::min(in + drive, ceiling) + output; });
    d.handles << ShapeHandle{"ceiling", QObject::tr("ceiling"), Handle::Kind::horizontal, 0.0,
                             ceiling};
    return d;
}

std::vector<ShapeMove> dragLimiter(const Stage& /*stage*/, const QString& /*handle*/, double /*x*/,
                                   double y) {
    return {{"ceiling", y}};
}

ShapeCurve levelCurve() {
    ShapeCurve c;
    c.name = QObject::tr("Transfer curve");
    c.xLabel = QObject::tr("in, dBFS");
    c.yLabel = QObject::tr("out, dBFS");
    c.xFrom = c.yFrom = kCurveLow;
    c.showsNow = true;
    return c;
}

}  // namespace

ShapeCurve bandLevelCurve() {
    ShapeCurve c = levelCurve();
    c.hover = QObject::tr(
        "Level in against level out, in the band. Drag the corner for the threshold, the end for "
        "how far it goes. The dot is what happens now.");
    c.gainTo = 24.0;
    c.draw = drawBand;
    c.drag = dragBand;
    return c;
}

ShapeCurve limiterCurve() {
    ShapeCurve c = levelCurve();
    c.hover = QObject::tr(
        "Level in against level out. Drag the line for the ceiling. The dot is what happens now.");
    c.draw = drawLimiter;
    c.drag = dragLimiter;
    return c;
}

}  // namespace ember::app
