#include "app/bench/shape_curve.h"
#include "core/base/number.h"
#include "core/base/units.h"
#include "core/dsp/part.h"

#include <QObject>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kBottomDb = -60.0;
// What corners give a little more or less way to at another rate is not seen.
constexpr double kShownAt = 48000.0;

double partDb(std::vector<double> values, Part::Keep keep, double hertz) {
    values[Part::keep] = keep;
    return std::max(kBottomDb - 20.0, dbFromGain(Part::gainAt(values, hertz, kShownAt)));
}

// The bands that stand beside one.
std::vector<Part::Keep> besides(Part::Keep keep) {
    switch (keep) {
        case Part::lows:
            return {Part::rest};
        case Part::rest:
            return {Part::lows};
        case Part::mids:
            return {Part::lows, Part::highs};
        case Part::highs:
            return {Part::lows, Part::mids};
        default:
            return {};
    }
}

// Two corners stand side by side in little room.
QString shortly(const Stage& stage, const char* corner) {
    return QString::fromStdString(hertzText(valueOf(stage, corner)));
}

ShapeDrawing drawPart(const Stage& stage, const StageTrace* /*trace*/) {
    ShapeDrawing d;
    const auto keep = static_cast<Part::Keep>(std::lround(valueOf(stage, "keep")));
    const std::vector<Part::Keep> others = besides(keep);
    for (int i = 0; i <= 160; ++i) {
        const double hertz = 20.0 * std::pow(1000.0, i / 160.0);
        d.x << hertz;
        d.y << partDb(stage.values, keep, hertz);
        if (others.empty()) continue;
        double beside = kBottomDb - 20.0;
        for (const Part::Keep other : others)
            beside = std::max(beside, partDb(stage.values, other, hertz));
        d.baseX << hertz;
        d.baseY << beside;
    }
    if (keep >= Part::lows)
        d.handles << ShapeHandle{"lower", shortly(stage, "lower"), Handle::Kind::vertical,
                                 valueOf(stage, "lower"), -6.0};
    if (keep == Part::mids || keep == Part::highs)
        d.handles << ShapeHandle{"upper", shortly(stage, "upper"), Handle::Kind::vertical,
                                 valueOf(stage, "upper"), -6.0};
    return d;
}

std::vector<ShapeMove> dragPart(const Stage& /*stage*/, const QString& handle, double x,
                                double /*y*/) {
    if (handle == "lower") return {{"lower", std::clamp(x, 60.0, 2000.0)}};
    return {{"upper", std::clamp(x, 500.0, 6000.0)}};
}

}  // namespace

ShapeCurve partCurve() {
    ShapeCurve c;
    c.name = QObject::tr("What of the sound stays, over frequency");
    c.hover = QObject::tr(
        "Line: what stays. Dashed: what goes elsewhere. Together they are the whole sound. Drag a "
        "corner: it moves in all streams of a split.");
    c.overFrequency = true;
    c.yLabel = QObject::tr("dB");
    c.yFrom = kBottomDb;
    c.yTo = 6.0;
    c.keyX = 1.0 / 12.0;  // octaves
    c.showsGain = false;
    c.draw = drawPart;
    c.drag = dragPart;
    return c;
}

}  // namespace ember::app
