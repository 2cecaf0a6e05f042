#include "app/bench/shape_curve.h"

#include <QObject>

namespace ember::app {
namespace {

constexpr double kLeastDb = -90.0;

ShapeDrawing drawSpectrum(const Stage& stage, const StageTrace* trace) {
    ShapeDrawing d;
    if (trace != nullptr) {
        const Spectrum &before = trace->before, &after = trace->after;
        d.baseX = {before.frequency.begin(), before.frequency.end()};
        d.baseY = {before.level.begin(), before.level.end()};
        if (stage.on) {
            d.x = {after.frequency.begin(), after.frequency.end()};
            d.y = {after.level.begin(), after.level.end()};
        }
    }
    const auto y = [&](const char* id) { return kLeastDb * (1.0 - valueOf(stage, id) / 100.0); };
    d.handles
        << ShapeHandle{"lows", {}, Handle::Kind::point, valueOf(stage, "low-corner"), y("lows")}
        << ShapeHandle{"highs", {}, Handle::Kind::point, valueOf(stage, "high-corner"), y("highs")};
    return d;
}

std::vector<ShapeMove> dragSpectrum(const Stage& /*stage*/, const QString& handle, double x,
                                    double y) {
    const double share = 100.0 * (1.0 - y / kLeastDb);
    if (handle == "lows") return {{"low-corner", x}, {"lows", share}};
    return {{"high-corner", x}, {"highs", share}};
}

}  // namespace

ShapeCurve spectrumCurve() {
    ShapeCurve c;
    c.name = QObject::tr("Spectrum before and after");
    c.hover = QObject::tr(
        "Brown: before. Ember: after. Drag a dot along for its corner, up and down for how much "
        "is added.");
    c.overFrequency = c.baseIsSound = true;
    c.yLabel = QObject::tr("dB");
    c.yFrom = kLeastDb;
    c.showsGain = false;
    c.draw = drawSpectrum;
    c.drag = dragSpectrum;
    return c;
}

}  // namespace ember::app
