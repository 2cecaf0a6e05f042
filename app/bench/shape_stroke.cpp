#include "app/bench/shape_curve.h"
#include "core/base/units.h"
#include "core/dsp/pump.h"

#include <QObject>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember::app {
namespace {

constexpr double kStrokeMs = 500.0;

void put(std::vector<double>& values, const Stage& stage, const char* id, double value) {
    values[static_cast<std::size_t>(parameterIndex(processorType(stage.type).table, id))] = value;
}

// The processor itself on a made-up stroke of usual length: no second model of what it does.
ShapeDrawing drawTransient(const Stage& stage, const StageTrace* /*trace*/) {
    constexpr double kRate = 48000.0;
    std::vector<double> values = stage.values;
    put(values, stage, "look-ahead", 0.0);
    put(values, stage, "from", 20.0);
    put(values, stage, "to", 20000.0);
    const auto shaper = processorType(stage.type).make({kRate, 1}, values);
    const auto quiet = static_cast<int>(0.05 * kRate),
               frames = static_cast<int>(1e-3 * kStrokeMs * kRate);
    ShapeDrawing d;
    float block[kBlock];
    for (int at = -quiet; at < frames; at += kBlock) {
        double in = 1e-12;
        for (int i = 0; i < kBlock; ++i) {
            const double t = (at + i) / kRate;
            block[i] = t < 0.0 ? 0.0F
                               : static_cast<float>(0.5 * std::exp(-t / 0.09) *
                                                    std::cos(2.0 * std::numbers::pi * 220.0 * t));
            in += static_cast<double>(block[i]) * static_cast<double>(block[i]);
        }
        const AudioBlock io{{block, nullptr}, 1, kBlock};
        shaper->process(io, io);
        if (at < 0) continue;
        double out = 1e-12;
        for (const float v : block) out += static_cast<double>(v) * static_cast<double>(v);
        d.x << 1000.0 * (at + 0.5 * kBlock) / kRate;
        d.y << 10.0 * std::log10(out / in);
    }
    d.baseX = {0.0, kStrokeMs};
    d.baseY = {0.0, 0.0};
    d.handles << ShapeHandle{"attack", {}, Handle::Kind::point, 10.0, valueOf(stage, "attack")}
              << ShapeHandle{"sustain", {}, Handle::Kind::point, 250.0, valueOf(stage, "sustain")};
    return d;
}

std::vector<ShapeMove> dragTransient(const Stage& /*stage*/, const QString& handle, double /*x*/,
                                     double y) {
    return {{handle == "attack" ? "attack" : "sustain", y}};
}

// The processor itself, struck once while it hears something steady.
ShapeDrawing drawStroke(const Stage& stage, const StageTrace* /*trace*/) {
    constexpr double kRate = 12000.0;
    std::vector<double> values = stage.values;
    const double length = valueOf(stage, "length"), end = length + valueOf(stage, "fade");
    put(values, stage, "tune", 0.0);
    const auto shaper = processorType(stage.type).make({kRate, 1}, values);
    const int struck = 64 * kBlock, lead = shaper->strokeLead(),
              frames = static_cast<int>(1.25e-3 * end * kRate);
    ShapeDrawing d;
    float block[kBlock];
    for (int at = -struck; at < frames + lead; at += kBlock) {
        std::fill_n(block, kBlock, 1.0F);
        const BlockEvent strike;
        if (at == 0) shaper->strike({&strike, 1});
        const AudioBlock io{{block, nullptr}, 1, kBlock};
        shaper->process(io, io);
        for (int i = 0; i < kBlock; i += 4) {
            const int frame = at + i - lead;
            if (frame < 0) continue;
            d.x << 1000.0 * frame / kRate;
            d.y << dbFromGain(static_cast<double>(std::abs(block[i])));
        }
    }
    d.xTo = 1.25 * end;
    d.baseX = {0.0, 1.25 * end};
    d.baseY = {0.0, 0.0};
    d.handles << ShapeHandle{"length", {}, Handle::Kind::point, length, 0.0}
              << ShapeHandle{"fade",
                             {},
                             Handle::Kind::point,
                             end,
                             std::max(-60.0, valueOf(stage, "floor"))};
    return d;
}

std::vector<ShapeMove> dragStroke(const Stage& stage, const QString& handle, double x, double y) {
    if (handle == "length") return {{"length", x}};
    return {{"fade", x - valueOf(stage, "length")}, {"floor", y}};
}

// Halfway back, where the bend has its handle.
double halfway(const Stage& stage) {
    return valueOf(stage, "hold") + 0.5 * valueOf(stage, "return");
}

ShapeDrawing drawPump(const Stage& stage, const StageTrace* /*trace*/) {
    ShapeDrawing d;
    const double fall = valueOf(stage, "fall"), hold = valueOf(stage, "hold"),
                 back = valueOf(stage, "return"), from = -2.0 * fall, to = 1.2 * (hold + back);
    for (int i = 0; i <= 240; ++i) {
        const double ms = from + (to - from) * i / 240.0;
        d.x << ms;
        d.y << pumpDb(stage.values, ms);
    }
    d.baseX = {from, to};
    d.baseY = {0.0, 0.0};
    d.handles << ShapeHandle{"fall", {}, Handle::Kind::point, -fall, 0.0}
              << ShapeHandle{"depth", {}, Handle::Kind::point, hold, -valueOf(stage, "depth")}
              << ShapeHandle{"bend",
                             {},
                             Handle::Kind::point,
                             halfway(stage),
                             pumpDb(stage.values, halfway(stage))}
              << ShapeHandle{"return", {}, Handle::Kind::point, hold + back, 0.0};
    d.xFrom = from;
    d.xTo = to;
    d.yFrom = -std::max(12.0, 1.2 * valueOf(stage, "depth"));
    d.yTo = 3.0;
    return d;
}

std::vector<ShapeMove> dragPump(const Stage& stage, const QString& handle, double x, double y) {
    if (handle == "fall") return {{"fall", -x}};
    if (handle == "depth") return {{"hold", x}, {"depth", -y}};
    if (handle == "return") return {{"return", x - valueOf(stage, "hold")}};
    // What is left of the depth halfway is a half to the power that the bend stands for, or one
    // less that.
    const double left = std::clamp(-y / std::max(0.1, valueOf(stage, "depth")), 0.01, 0.99);
    const bool late = left > 0.5;
    const double power = -std::log2(late ? 1.0 - left : left);
    return {{"bend", (late ? 50.0 : -50.0) * std::log2(power)}};
}

ShapeCurve overOneStroke() {
    ShapeCurve c;
    c.name = QObject::tr("Gain over one stroke");
    c.xLabel = QObject::tr("milliseconds after the stroke");
    c.yLabel = QObject::tr("gain, dB");
    c.xTo = kStrokeMs;
    return c;
}

}  // namespace

ShapeCurve transientCurve() {
    ShapeCurve c = overOneStroke();
    c.hover = QObject::tr(
        "The gain a stroke gets from its first moment on: the left point raises the attack, the "
        "right one what rings after. Any level of stroke gets the same.");
    c.yFrom = -18.0;
    c.yTo = 18.0;
    c.gainTo = 24.0;
    c.draw = drawTransient;
    c.drag = dragTransient;
    return c;
}

ShapeCurve strokeCurve() {
    ShapeCurve c = overOneStroke();
    c.hover = QObject::tr(
        "How every stroke comes in, how long it stays whole, and where its fade ends. Drag the "
        "left point for the length, the right one for the fade and its floor.");
    c.keyX = 5.0;
    c.yFrom = -66.0;
    c.yTo = 6.0;
    c.draw = drawStroke;
    c.drag = dragStroke;
    return c;
}

ShapeCurve pumpCurve() {
    ShapeCurve c = overOneStroke();
    c.name = QObject::tr("Gain under one stroke");
    c.xLabel = QObject::tr("milliseconds after the stroke or beat");
    c.hover = QObject::tr(
        "How the level steps back and returns. Drag the first point for how early it falls, the "
        "lowest for depth and hold, the last for how long the way back takes, and the one halfway "
        "for how it bends.");
    c.keyX = 5.0;
    c.yFrom = -24.0;
    c.yTo = 3.0;
    c.draw = drawPump;
    c.drag = dragPump;
    return c;
}

}  // namespace ember::app
