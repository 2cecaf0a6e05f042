// The curves of the shapers' bench: what each processor does, as one picture with handles. Plain
// values and pure functions; the editor owns the plot.
#pragma once

#include "app/bench/plot.h"
#include "core/engine/trace.h"
#include "core/session/session.h"

#include <QString>
#include <QVector>

#include <optional>
#include <string>
#include <vector>

namespace ember::app {

struct ShapeMove {
    const char* parameter;
    double value;
};

struct ShapeHandle {
    const char* id;
    QString label;  // empty: the parameter called like the handle, with its value
    Handle::Kind kind = Handle::Kind::point;
    double x = 0.0, y = 0.0;
};

struct ShapeDrawing {
    QVector<double> x, y;          // what the processor does
    QVector<double> baseX, baseY;  // what it would be without it
    QVector<ShapeHandle> handles;
    std::optional<double> xFrom, xTo, yFrom, yTo;  // where the axes depend on the settings
};

struct ShapeCurve {
    QString name, hover, xLabel, yLabel;
    double xFrom = 0.0, xTo = 0.0, yFrom = 0.0, yTo = 0.0;
    double keyX = 0.5, keyY = 0.5;  // one press of an arrow key
    bool overFrequency = false;     // the axis of frequency
    bool baseIsSound = false;       // the base is what came in, and no line to compare with
    bool showsNow = false;          // a dot at what happens at the playhead
    bool showsGain = true;          // its gain is told and drawn over time
    double gainTo = 0.0;            // dB, top of the gain's line over time
    // `trace` may be null while the row is measured.
    ShapeDrawing (*draw)(const Stage& stage, const StageTrace* trace) = nullptr;
    // What dragging a handle there sets.
    std::vector<ShapeMove> (*drag)(const Stage& stage, const QString& handle, double x,
                                   double y) = nullptr;
};

// Level in against level out: expander, de-harsher; limiter.
ShapeCurve bandLevelCurve();
ShapeCurve limiterCurve();
// Wave in against wave out: saturation, clipper, crusher.
ShapeCurve waveCurve(const std::string& type);
// Gain over one stroke: transient shaper; stroke pitch and length; pump.
ShapeCurve transientCurve();
ShapeCurve strokeCurve();
ShapeCurve pumpCurve();
// What is added to the spectrum: exciter.
ShapeCurve spectrumCurve();
// What of the sound stays: part.
ShapeCurve partCurve();
// Decay over frequency: reverb.
ShapeCurve decayCurve();
// Answers over time: delay.
ShapeCurve echoCurve();
// What is added: a tone after its stroke; one sweep; strings.
ShapeCurve weightCurve();
ShapeCurve modulationCurve();
ShapeCurve resonatorCurve();

// A parameter's value by its id.
inline double valueOf(const Stage& stage, const char* id) {
    const int at = parameterIndex(processorType(stage.type).table, id);
    return stage.values[static_cast<std::size_t>(at)];
}

}  // namespace ember::app
