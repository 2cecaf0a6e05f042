#include "app/bench/shape_curve.h"
#include "core/base/units.h"
#include "core/dsp/clipper.h"
#include "core/dsp/saturation.h"

#include <QObject>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

// What a processor that bends the wave makes of one value, at rest.
double bent(const Stage& stage, double x) {
    const double mix = valueOf(stage, "mix") / 100.0;
    double y = x;
    if (stage.type == "saturation") {
        const double drive = gainFromDb(valueOf(stage, "drive")),
                     bias = 0.6 * valueOf(stage, "even") / 100.0;
        const auto curve = static_cast<SaturationCurve>(std::lround(valueOf(stage, "curve")));
        y = saturate(curve, drive * x + bias) - saturate(curve, bias);
    } else if (stage.type == "clipper") {
        const double pushed = x * gainFromDb(valueOf(stage, "drive"));
        y = pushed +
            clipLoss(pushed, gainFromDb(valueOf(stage, "ceiling")), valueOf(stage, "bend") / 100.0);
    } else if (stage.type == "crusher") {
        const double steps = std::exp2(valueOf(stage, "bits") - 1.0);
        y = std::round(x * steps) / steps;
    }
    return mix * y + (1.0 - mix) * x;
}

ShapeHandle handleOf(const Stage& stage) {
    if (stage.type == "saturation") {
        const double at = gainFromDb(-valueOf(stage, "drive"));
        return {"drive", {}, Handle::Kind::point, at, bent(stage, at)};
    }
    if (stage.type == "clipper")
        return {"ceiling", QObject::tr("ceiling"), Handle::Kind::horizontal, 0.0,
                gainFromDb(valueOf(stage, "ceiling"))};
    return {"bits", QObject::tr("half a step"), Handle::Kind::horizontal, 0.0,
            std::exp2(-valueOf(stage, "bits"))};
}

ShapeDrawing drawWave(const Stage& stage, const StageTrace* /*trace*/) {
    ShapeDrawing d;
    for (double in = -1.0; in <= 1.0001; in += 0.005) {
        d.x << in;
        d.y << bent(stage, in);
    }
    d.baseX = d.baseY = {-1.0, 1.0};
    d.handles << handleOf(stage);
    return d;
}

std::vector<ShapeMove> dragWave(const Stage& stage, const QString& /*handle*/, double x, double y) {
    if (stage.type == "saturation")
        return {{"drive", -dbFromGain(std::clamp(std::abs(x), 0.01, 1.0))}};
    if (stage.type == "clipper")
        return {{"ceiling", dbFromGain(std::clamp(std::abs(y), 0.05, 1.0))}};
    return {{"bits", 1.0 - std::log2(std::clamp(2.0 * std::abs(y), 1e-6, 1.0))}};
}

}  // namespace

ShapeCurve waveCurve(const std::string& type) {
    ShapeCurve c;
    c.name = QObject::tr("Wave in against wave out");
    c.hover = type == "saturation"
                  ? QObject::tr("What becomes of the wave. Drag the dot for the drive.")
                  : QObject::tr("What becomes of the wave. Drag the line.");
    c.xLabel = QObject::tr("in");
    c.yLabel = QObject::tr("out");
    c.keyX = c.keyY = 0.02;
    c.xFrom = -1.0;
    c.xTo = 1.0;
    c.yFrom = -1.3;
    c.yTo = 1.3;
    c.showsGain = type == "clipper";
    c.draw = drawWave;
    c.drag = dragWave;
    return c;
}

}  // namespace ember::app
