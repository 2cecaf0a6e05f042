#include "app/bench/shape_curve.h"
#include "core/base/units.h"

#include <QObject>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kFaintestEcho = -48.0;  // dB, the foot of the picture

// The answers of one side as needles: after its time, and again by what is fed back.
void addNeedles(QVector<double>& x, QVector<double>& y, double ms, double feedback, double until) {
    double db = 0.0;
    x << 0.0;
    y << kFaintestEcho;
    for (double at = ms; at <= until && db > kFaintestEcho; at += ms) {
        x << at << at << at;
        y << kFaintestEcho << db << kFaintestEcho;
        db += feedback > 0.0 ? dbFromGain(feedback) : kFaintestEcho;
    }
    x << until;
    y << kFaintestEcho;
}

ShapeDrawing drawEchoes(const Stage& stage, const StageTrace* /*trace*/) {
    ShapeDrawing d;
    const double left = valueOf(stage, "left"), right = valueOf(stage, "right"),
                 feedback = valueOf(stage, "feedback") / 100.0,
                 until = std::clamp(4.5 * std::max(left, right), 200.0, 6000.0);
    addNeedles(d.x, d.y, left, feedback, until);
    addNeedles(d.baseX, d.baseY, right, feedback, until);
    // Feedback is where the second answer of the left side stands.
    d.handles << ShapeHandle{"left", {}, Handle::Kind::point, left, 0.0}
              << ShapeHandle{"right", {}, Handle::Kind::point, right, -4.0}
              << ShapeHandle{"feedback",
                             {},
                             Handle::Kind::point,
                             2.0 * left,
                             std::max(kFaintestEcho, dbFromGain(std::max(1e-4, feedback)))};
    d.xTo = until;
    return d;
}

std::vector<ShapeMove> dragEcho(const Stage& /*stage*/, const QString& handle, double x, double y) {
    if (handle == "left") return {{"left", x}};
    if (handle == "right") return {{"right", x}};
    return {{"feedback", 100.0 * gainFromDb(std::min(y, -0.4))}};
}

}  // namespace

ShapeCurve echoCurve() {
    ShapeCurve c;
    c.name = QObject::tr("Answers over time");
    c.hover = QObject::tr(
        "When each side answers, and how loud again: drag the two times along, and the second "
        "answer up and down for what is fed back. The right side is the quiet line.");
    c.xLabel = QObject::tr("ms");
    c.yLabel = QObject::tr("dB");
    c.xTo = 1000.0;
    c.yFrom = kFaintestEcho;
    c.yTo = 6.0;
    c.keyX = 5.0;
    c.keyY = 1.0;
    c.showsGain = false;
    c.draw = drawEchoes;
    c.drag = dragEcho;
    return c;
}

}  // namespace ember::app
