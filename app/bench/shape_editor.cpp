#include "app/bench/shape_editor.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "core/base/units.h"
#include "core/measure/kit/kit_mics.h"

#include <QHBoxLayout>

#include <algorithm>
#include <cmath>
#include <optional>

namespace ember::app {
namespace {

constexpr std::size_t kMainFields = 6;

std::optional<ShapeCurve> curveOf(const std::string& type) {
    if (type == "expander" || type == "de-harsher") return bandLevelCurve();
    if (type == "limiter") return limiterCurve();
    if (type == "transient") return transientCurve();
    if (type == "stroke") return strokeCurve();
    if (type == "pump") return pumpCurve();
    if (type == "saturation" || type == "clipper" || type == "crusher") return waveCurve(type);
    if (type == "exciter") return spectrumCurve();
    if (type == "part") return partCurve();
    if (type == "reverb") return decayCurve();
    if (type == "delay") return echoCurve();
    if (type == "weight") return weightCurve();
    if (type == "modulation") return modulationCurve();
    if (type == "resonator") return resonatorCurve();
    return std::nullopt;
}

}  // namespace

bool ShapeEditor::edits(const std::string& type) {
    return curveOf(type).has_value();
}

ShapeEditor::ShapeEditor(Bench bench, const std::string& row, const std::string& stageId,
                         EditorSize size, QWidget* parent)
    : StageEditor(bench, row, stageId, size, parent), shape_(curveOf(stage().type).value()) {
    curve_ = new Plot(this);
    curve_->setObjectName("shape-curve");
    curve_->setAccessibleName(shape_.name);
    curve_->setToolTip(shape_.hover);
    curve_->setKeySteps(shape_.keyX, shape_.keyY);
    unity_ = curve_->addGraph();
    line_ = curve_->addGraph();
    now_ = curve_->addGraph();
    now_->setLineStyle(QCPGraph::lsNone);
    if (shape_.overFrequency) {
        curve_->setupFrequencyAxis(shape_.yFrom, shape_.yTo);
        curve_->yAxis->setLabel(shape_.yLabel);
    } else {
        curve_->xAxis->setRange(shape_.xFrom, shape_.xTo);
        curve_->yAxis->setRange(shape_.yFrom, shape_.yTo);
        curve_->xAxis->setLabel(shape_.xLabel);
        curve_->yAxis->setLabel(shape_.yLabel);
    }
    connect(curve_, &Plot::handleMoved, this, [this](const QString& id, double x, double y) {
        for (const ShapeMove& move : shape_.drag(stage(), id, x, y))
            put(indexOf(move.parameter), move.value);
    });
    connect(curve_, &Plot::handleReleased, this, [this] { bench_.workspace.endGesture(); });
    connect(curve_, &Plot::handleReset, this,
            [this](const QString& id) { reset(indexOf(id.toUtf8().constData())); });
    history_ = new HistoryPlot(this);
    history_->setObjectName("shape-history");
    history_->setAccessibleName(tr("Level over time"));
    history_->setToolTip(
        tr("Brown: level in. Ember: level out. Line: the gain as it really happened."));
    history_->yAxis->setRange(-48.0, 6.0);
    auto* side = new QHBoxLayout;
    side->addWidget(curve_, 2);
    side->addWidget(history_, 3);
    plots()->addLayout(side, 3);
    addStroke(false, false, 2);
    const ParameterTable table = processorType(stage().type).table;
    for (std::size_t i = 0; i < table.size(); ++i)
        addField(static_cast<int>(i), {}, i >= kMainFields);
    numbers()->addStretch(1);
    refresh();
}

int ShapeEditor::indexOf(const char* id) const {
    return parameterIndex(processorType(stage().type).table, id);
}

void ShapeEditor::redraw() {
    drawCurve();
    drawHistory();
}

void ShapeEditor::drawCurve() {
    curve_->applyLook();
    const Palette& p = colours();
    const QColor colour = stage().on ? p.ember : p.quiet;
    unity_->setPen(shape_.baseIsSound ? QPen(p.wave, 1.6) : QPen(p.quiet, 1.0, Qt::DashLine));
    line_->setPen(QPen(colour, 2.2));
    now_->setScatterStyle(
        QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(p.chalk), QBrush(p.chalk), 9));
    const ShapeDrawing d = shape_.draw(stage(), trace());
    if (d.xFrom) curve_->xAxis->setRangeLower(*d.xFrom);
    if (d.xTo) curve_->xAxis->setRangeUpper(*d.xTo);
    if (d.yFrom && d.yTo) curve_->yAxis->setRange(*d.yFrom, *d.yTo);
    unity_->setData(d.baseX, d.baseY, true);
    line_->setData(d.x, d.y, true);
    QVector<Handle> handles;
    for (const ShapeHandle& h : d.handles)
        handles << Handle{h.id,   h.label.isEmpty() ? told(indexOf(h.id)) : h.label,
                          h.kind, h.x,
                          h.y,    colour,
                          false,  true};
    curve_->setHandles(handles);
    curve_->replot(QCustomPlot::rpQueuedReplot);
}

void ShapeEditor::drawHistory() {
    history_->applyColours();
    const StageTrace* t = trace();
    if (t == nullptr) {
        history_->setData(nullptr, nullptr, nullptr, secondsPerBlock(), -24.0);
        return say(tr("Measuring this row …"));
    }
    double deepest = -24.0;
    if (stage().type == "stroke")
        deepest = std::clamp(valueOf(stage(), "floor") - 6.0, -66.0, -24.0);
    if (stage().type == "pump") deepest = std::min(-24.0, -valueOf(stage(), "depth") - 6.0);
    history_->setData(&t->inputPeak, stage().on ? &t->outputPeak : nullptr,
                      shape_.showsGain ? &t->gainDb : nullptr, secondsPerBlock(), deepest,
                      shape_.gainTo);
    history_->showSpan(pictureSpan(bench_.workspace.session(), t->inputPeak, secondsPerBlock()));
    say(stage().on ? inWords(*t) : tr("Off: the curve is drawn but not heard."));
}

QString ShapeEditor::inWords(const StageTrace& t) const {
    float before = 0.0F, after = 0.0F;
    for (const float v : t.inputPeak) before = std::max(before, v);
    for (const float v : t.outputPeak) after = std::max(after, v);
    QString text = noteText();
    if (shape_.showsGain) {
        const auto [least, most] = std::minmax_element(t.gainDb.begin(), t.gainDb.end());
        text += tr("Gain between %1 and %2 dB. ")
                    .arg(figure(static_cast<double>(*least)), figure(static_cast<double>(*most)));
    }
    text += tr("Peak %1 dBFS in, %2 dBFS out.")
                .arg(figure(dbFromGain(static_cast<double>(before))),
                     figure(dbFromGain(static_cast<double>(after))));
    if (stage().type == "saturation" && valueOf(stage(), "match-level") >= 0.5)
        text += tr(" The curve is drawn before the level match.");
    return text;
}

// Where tuning puts the drum's note; what is missing for a pump to move.
QString ShapeEditor::noteText() const {
    if (stage().type == "pump" && playsStrokes(stage()) &&
        drumDriving(bench_.workspace.session(), row_, stage()).empty())
        return tr("No drum's strokes move it: choose what it is keyed by. ");
    if (stage().type != "stroke" || valueOf(stage(), "tune") == 0.0) return {};
    const auto measured = bench_.listener.measured();
    const std::string drum = drumOfRow(bench_.workspace.session(), row_);
    for (const DrumTone& tone : measured ? measured->tone : std::vector<DrumTone>{}) {
        if (tone.drum == drum && tone.fundamental > 0.0)
            return tr("Its note of %1 Hz comes out at %2 Hz. ")
                .arg(figure(tone.fundamental),
                     figure(tone.fundamental * std::exp2(valueOf(stage(), "tune") / 12.0)));
    }
    return {};
}

void ShapeEditor::tick() {
    if (!alive()) return;
    history_->setPlayhead(bench_.player.position());
    if (!shape_.showsNow) return;
    const RowMeter* meter = bench_.player.playing() ? bench_.player.meter(row_) : nullptr;
    const auto index = static_cast<std::size_t>(stageIndex());
    if (meter == nullptr || !stage().on || index >= meter->stage.size()) {
        if (now_->data()->size() > 0) {
            now_->data()->clear();
            curve_->replot(QCustomPlot::rpQueuedReplot);
        }
        return;
    }
    const double key = dbFromGain(static_cast<double>(meter->stage[index].keyPeak));
    now_->setData(QVector<double>{key},
                  QVector<double>{key + static_cast<double>(meter->stage[index].gainDb)}, true);
    curve_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace ember::app
