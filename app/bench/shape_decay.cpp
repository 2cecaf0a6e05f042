#include "app/bench/shape_curve.h"
#include "core/dsp/reverb.h"

#include <QObject>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kLowest = 20.0, kHighest = 20000.0;
constexpr double kMiddle = 1000.0;  // where the handle of the whole decay stands

ShapeDrawing drawDecay(const Stage& stage, const StageTrace* /*trace*/) {
    ShapeDrawing d;
    double longest = 0.0;
    for (int i = 0; i <= 120; ++i) {
        const double hertz = kLowest * std::pow(kHighest / kLowest, i / 120.0),
                     seconds = reverbDecayMs(stage.values, hertz) / 1000.0;
        longest = std::max(longest, seconds);
        d.baseX << hertz;
        d.baseY << valueOf(stage, "decay") / 1000.0;
        d.x << hertz;
        d.y << seconds;
    }
    const double middle = valueOf(stage, "decay") / 1000.0;
    d.handles << ShapeHandle{"decay", {}, Handle::Kind::horizontal, kMiddle, middle}
              << ShapeHandle{"low-decay",
                             {},
                             Handle::Kind::point,
                             valueOf(stage, "low-corner"),
                             middle * valueOf(stage, "low-decay") / 100.0}
              << ShapeHandle{"high-decay",
                             {},
                             Handle::Kind::point,
                             valueOf(stage, "high-corner"),
                             middle * valueOf(stage, "high-decay") / 100.0};
    d.yFrom = 0.0;
    d.yTo = 1.25 * std::max(longest, middle);
    return d;
}

std::vector<ShapeMove> dragDecay(const Stage& stage, const QString& handle, double x, double y) {
    const double share = 100.0 * y / (valueOf(stage, "decay") / 1000.0);
    if (handle == "low-decay") return {{"low-corner", x}, {"low-decay", share}};
    if (handle == "high-decay") return {{"high-corner", x}, {"high-decay", share}};
    return {{"decay", 1000.0 * y}};
}

}  // namespace

ShapeCurve decayCurve() {
    ShapeCurve c;
    c.name = QObject::tr("Decay over frequency");
    c.hover = QObject::tr(
        "How long each frequency takes to fall by 60 dB. Drag the line for the whole, a point "
        "along for its corner, up and down for the decay of the lows or the highs.");
    c.yLabel = QObject::tr("s");
    c.overFrequency = true;
    c.yTo = 2.0;
    c.keyY = 0.02;
    c.showsGain = false;
    c.draw = drawDecay;
    c.drag = dragDecay;
    return c;
}

}  // namespace ember::app
