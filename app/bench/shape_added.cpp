// What is added to a drum: a tone under its strokes, a sweep beside it, strings that it sets
// ringing.

#include "app/bench/shape_curve.h"
#include "core/base/units.h"
#include "core/dsp/modulation.h"
#include "core/dsp/resonator.h"
#include "core/dsp/weight.h"

#include <QObject>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kFaintestAdded = -72.0;  // dB, the foot of these pictures

// --- The tone: its level over time; the quiet line is how far it still has to fall in pitch.

ShapeDrawing drawWeight(const Stage& stage, const StageTrace* /*trace*/) {
    ShapeDrawing d;
    const double decay = valueOf(stage, "decay"), note = valueOf(stage, "note"),
                 until = std::clamp(1.15 * decay, 60.0, 4500.0);
    for (int i = 0; i <= 200; ++i) {
        const double ms = until * i / 200.0;
        d.x << ms;
        d.y << std::max(kFaintestAdded, weightDb(stage.values, ms / 1000.0));
        d.baseX << ms;
        d.baseY << 12.0 * std::log2(weightHertz(stage.values, ms / 1000.0) / note);
    }
    const double level = valueOf(stage, "level");
    d.handles << ShapeHandle{"level",
                             {},
                             Handle::Kind::point,
                             std::max(valueOf(stage, "rise"), 0.004 * until),
                             level}
              << ShapeHandle{"decay",
                             {},
                             Handle::Kind::point,
                             0.5 * decay,
                             std::max(kFaintestAdded, level - 30.0)}
              << ShapeHandle{"sweep", {}, Handle::Kind::point, 0.0, valueOf(stage, "sweep")}
              << ShapeHandle{"sweep-time",
                             {},
                             Handle::Kind::point,
                             valueOf(stage, "sweep-time"),
                             12.0 * std::log2(weightHertz(stage.values,
                                                          valueOf(stage, "sweep-time") / 1000.0) /
                                              note)};
    d.xTo = until;
    return d;
}

std::vector<ShapeMove> dragWeight(const Stage& stage, const QString& handle, double x, double y) {
    (void)stage;
    if (handle == "level") return {{"level", y}};
    if (handle == "decay") return {{"decay", 2.0 * x}};  // it stands 30 dB down
    if (handle == "sweep") return {{"sweep", y}};
    return {{"sweep-time", x}};
}

// --- The sweep of both sides over one period, in octaves from its middle.

double middleOf(const Stage& stage) {
    return valueOf(stage, "kind") >= 1.5 ? valueOf(stage, "centre") : valueOf(stage, "time");
}

ShapeDrawing drawModulation(const Stage& stage, const StageTrace* /*trace*/) {
    ShapeDrawing d;
    const double period = valueOf(stage, "period"), middle = middleOf(stage);
    const auto octaves = [&](int side, double share) {
        return std::clamp(std::log2(modulationAt(stage.values, side, share) / middle), -4.0, 4.0);
    };
    for (int i = 0; i <= 160; ++i) {
        const double share = i / 160.0;
        d.x << period * share / 1000.0;
        d.y << octaves(0, share);
        d.baseX << period * share / 1000.0;
        d.baseY << octaves(1, share);
    }
    const double crest = 0.25 - 0.5 * valueOf(stage, "spread") / 100.0;
    d.handles
        << ShapeHandle{"depth", {}, Handle::Kind::point, 0.25 * period / 1000.0, octaves(0, 0.25)}
        << ShapeHandle{"spread",
                       {},
                       Handle::Kind::point,
                       (crest < 0.0 ? crest + 1.0 : crest) * period / 1000.0,
                       octaves(1, crest)};
    d.xTo = period / 1000.0;
    d.yFrom = std::min(-1.0, *std::min_element(d.y.begin(), d.y.end()) - 0.3);
    d.yTo = std::max(1.0, *std::max_element(d.y.begin(), d.y.end()) + 0.3);
    return d;
}

std::vector<ShapeMove> dragModulation(const Stage& stage, const QString& handle, double x,
                                      double y) {
    if (handle == "depth") {
        const bool phaser = valueOf(stage, "kind") >= 1.5;
        return {{"depth", phaser ? 50.0 * y : 100.0 * (std::exp2(y) - 1.0) / 0.95}};
    }
    // The right side's crest comes earlier the more it is ahead.
    const double share = x * 1000.0 / valueOf(stage, "period"), ahead = 0.25 - share;
    return {{"spread", 200.0 * std::clamp(ahead < -0.25 ? ahead + 1.0 : ahead, 0.0, 0.5)}};
}

// --- The strings: where they ring, as needles as long as their decay.

ShapeDrawing drawResonator(const Stage& stage, const StageTrace* /*trace*/) {
    ShapeDrawing d;
    const double note = valueOf(stage, "note");
    double longest = 0.0;
    d.x << 20.0;
    d.y << 0.0;
    auto ratios = resonatorRatios(stage.values);
    for (int k = 0; k < Resonator::kPartials; ++k) {
        const double hertz = note * ratios[static_cast<std::size_t>(k)],
                     seconds = resonatorDecayMs(stage.values, k) / 1000.0;
        if (hertz > 20000.0) break;
        longest = std::max(longest, seconds);
        for (const double y : {0.0, seconds, 0.0}) {
            d.x << hertz;
            d.y << y;
        }
    }
    d.x << 20000.0;
    d.y << 0.0;
    d.handles << ShapeHandle{
        "note", {}, Handle::Kind::point, note, valueOf(stage, "decay") / 1000.0};
    const double high = note * ratios.back();
    if (high < 20000.0)
        d.handles << ShapeHandle{"damp",
                                 {},
                                 Handle::Kind::point,
                                 high,
                                 resonatorDecayMs(stage.values, Resonator::kPartials - 1) / 1000.0};
    d.yFrom = 0.0;
    d.yTo = 1.25 * longest;
    return d;
}

std::vector<ShapeMove> dragResonator(const Stage& stage, const QString& handle, double x,
                                     double y) {
    if (handle == "note") return {{"note", x}, {"decay", 1000.0 * y}};
    const double height = std::log2(resonatorRatios(stage.values).back());
    const double share = std::max(1e-3, 1000.0 * y / valueOf(stage, "decay"));
    return {{"damp", 100.0 * std::clamp(-std::log2(share) / (2.0 * height), 0.0, 1.0)}};
}

}  // namespace

ShapeCurve weightCurve() {
    ShapeCurve c;
    c.name = QObject::tr("The tone after its stroke");
    c.hover = QObject::tr(
        "Ember: the level of the tone. Quiet line: semitones by which it is still above its note. "
        "Drag its peak up and down, the point 30 dB under it along, and the two points of the "
        "fall.");
    c.xLabel = QObject::tr("ms");
    c.yLabel = QObject::tr("dB; semitones");
    c.xTo = 500.0;
    c.yFrom = kFaintestAdded;
    c.yTo = 38.0;
    c.keyX = 5.0;
    c.keyY = 0.5;
    c.showsGain = false;
    c.draw = drawWeight;
    c.drag = dragWeight;
    return c;
}

ShapeCurve modulationCurve() {
    ShapeCurve c;
    c.name = QObject::tr("One sweep");
    c.hover = QObject::tr(
        "How far the delay, or the phaser's corner, is from its middle over one period; the quiet "
        "line is the right side. Drag the crest for the depth, the quiet one's along for how far "
        "the sides are apart.");
    c.xLabel = QObject::tr("s");
    c.yLabel = QObject::tr("octaves");
    c.xTo = 2.5;
    c.yFrom = -4.2;
    c.yTo = 2.2;
    c.keyX = 0.02;
    c.keyY = 0.02;
    c.showsGain = false;
    c.draw = drawModulation;
    c.drag = dragModulation;
    return c;
}

ShapeCurve resonatorCurve() {
    ShapeCurve c;
    c.name = QObject::tr("The strings");
    c.hover = QObject::tr(
        "Where the strings ring, and how long. Drag the lowest along for the note, up and down for "
        "its decay; the highest up and down for the damping.");
    c.yLabel = QObject::tr("s");
    c.overFrequency = true;
    c.yTo = 1.0;
    c.keyY = 0.01;
    c.showsGain = false;
    c.draw = drawResonator;
    c.drag = dragResonator;
    return c;
}

}  // namespace ember::app
