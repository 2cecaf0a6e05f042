#include "app/bench/dynamics_editor.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "core/base/units.h"
#include "core/dsp/compressor.h"
#include "core/measure/kit/kit_mics.h"
#include "core/measure/level/press.h"

#include <QHBoxLayout>

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace ember::app {
namespace {

constexpr double kLow = -60.0;
constexpr double kRecovered = 1.0;  // dB of reduction that count as none

}  // namespace

DynamicsEditor::DynamicsEditor(Bench bench, const std::string& row, const std::string& stageId,
                               EditorSize size, QWidget* parent)
    : StageEditor(bench, row, stageId, size, parent) {
    curve_ = new Plot(this);
    curve_->setObjectName("dynamics-curve");
    curve_->setAccessibleName(tr("Transfer curve"));
    curve_->setToolTip(
        tr("Level in against level out. Drag the corner to set the threshold, the end to set the "
           "ratio. The dot is what happens now."));
    curve_->setKeySteps(0.5, 0.5);
    unity_ = curve_->addGraph();
    line_ = curve_->addGraph();
    now_ = curve_->addGraph();
    now_->setLineStyle(QCPGraph::lsNone);
    curve_->xAxis->setRange(kLow, 2.0);
    curve_->yAxis->setRange(kLow, 0.0);
    curve_->xAxis->setLabel(tr("in, dBFS"));
    curve_->yAxis->setLabel(tr("out, dBFS"));
    connect(curve_, &Plot::handleMoved, this, [this](const QString& id, double x, double y) {
        if (id == "threshold") put(Compressor::threshold, x);
        // Above the threshold the line rises by 1 / ratio.
        const double above = -value(Compressor::threshold);
        if (id == "ratio" && above > 0.5)
            put(Compressor::ratio,
                above / std::max(above / 20.0, y - value(Compressor::makeUp) + above));
    });
    connect(curve_, &Plot::handleReleased, this, [this] { bench_.workspace.endGesture(); });
    connect(curve_, &Plot::handleReset, this, [this](const QString& id) {
        reset(id == "ratio" ? Compressor::ratio : Compressor::threshold);
    });
    history_ = new HistoryPlot(this);
    history_->setObjectName("dynamics-history");
    history_->setAccessibleName(tr("Level and gain reduction over time"));
    history_->setToolTip(tr(
        "Brown: level in. Ember: level out. Line from the top: gain reduction as it really "
        "happened; dotted and dashed: with a quarter and with four times the attack and release. "
        "Dots: at each stroke, filled where the gain had come back. Level lines: where usual "
        "strokes peak and where their bodies lie."));
    history_->yAxis->setRange(-48.0, 6.0);
    recovered_ = history_->addGraph(history_->xAxis, history_->yAxis2);
    late_ = history_->addGraph(history_->xAxis, history_->yAxis2);
    for (QCPGraph* graph : {recovered_, late_}) graph->setLineStyle(QCPGraph::lsNone);
    quick_ = history_->addGraph(history_->xAxis, history_->yAxis2);
    lazy_ = history_->addGraph(history_->xAxis, history_->yAxis2);
    for (auto [line, name] :
         {std::pair{&peakLine_, &peakName_}, std::pair{&bodyLine_, &bodyName_}}) {
        *line = new QCPItemLine(history_);
        for (QCPItemPosition* end : {(*line)->start, (*line)->end}) {
            end->setTypeX(QCPItemPosition::ptAxisRectRatio);
            end->setTypeY(QCPItemPosition::ptPlotCoords);
        }
        *name = new QCPItemText(history_);
        (*name)->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
        (*name)->position->setTypeY(QCPItemPosition::ptPlotCoords);
        (*name)->setPositionAlignment(Qt::AlignLeft | Qt::AlignBottom);
        (*name)->setFont(face(11));
        (*line)->setVisible(false);
        (*name)->setVisible(false);
    }
    auto* side = new QHBoxLayout;
    side->addWidget(curve_, 2);
    side->addWidget(history_, 3);
    plots()->addLayout(side, 3);
    addStroke(true, true, 2);
    if (size == EditorSize::full) buildDetector();
    for (const int i : {Compressor::threshold, Compressor::ratio, Compressor::knee,
                        Compressor::attack, Compressor::release, Compressor::makeUp})
        addField(i);
    for (const int i : {Compressor::character, Compressor::autoRelease, Compressor::mix,
                        Compressor::detector, Compressor::range, Compressor::lookAhead,
                        Compressor::keyHighPass, Compressor::keyLowPass}) {
        addField(i, {}, true);
    }
    numbers()->addStretch(1);
    refresh();
}

DynamicsEditor::~DynamicsEditor() {
    pressing_.waitForFinished();
    hearing_.waitForFinished();
}

void DynamicsEditor::redraw() {
    drawCurve();
    if (detector_ != nullptr) {
        const bool sweeps = value(Compressor::keyListen) >= 0.5;
        sweep_->setChecked(sweeps);
        detector_->setVisible(sweeps);
        strip()->setVisible(!sweeps);
        drawDetector();
        rest_.start();
    }
    history_->applyColours();
    const StageTrace* t = trace();
    if (t == nullptr) {
        history_->setData(nullptr, nullptr, nullptr, secondsPerBlock(), -24.0);
        say(tr("Measuring this row …"));
        return;
    }
    const std::span<const float> gain(t->gainDb);
    const Reduction own = reductionOf(std::span(&gain, 1));
    history_->setData(&t->inputPeak, stage().on ? &t->outputPeak : nullptr, &t->gainDb,
                      secondsPerBlock(), std::min(-12.0, std::floor(-own.deepestDb / 6.0) * 12.0));
    history_->showSpan(pictureSpan(bench_.workspace.session(), t->inputPeak, secondsPerBlock()));
    std::vector<double> strokes, full;  // full: without ghost notes
    const std::string drum = drumOfRow(bench_.workspace.session(), row_);
    if (const auto measured = bench_.listener.measured(); measured != nullptr) {
        for (const Stroke& s : measured->strokes.strokes) {
            if (s.drum != drum) continue;
            strokes.push_back(s.time);
            if (s.kind != StrokeKind::ghost) full.push_back(s.time);
        }
    }
    drawLines(strokeLines(t->inputPeak, secondsPerBlock(), full));
    if (!stage().on) {
        say(tr("Off: the curve is drawn but not heard."));
    } else if (own.deepestDb < 0.1) {
        say(tr("On, but nothing in this row reaches the threshold."));
    } else {
        const QString recovery = drawRecovery(*t, strokes);
        const std::string warning =
            pressWarning(measurePress(t->inputPeak, t->outputPeak, secondsPerBlock(), strokes));
        say(tr("%1: up to %2 dB of reduction; %3 dB on average while it works, %4 % of the time. ")
                .arg(spoken(pressWord(value(Compressor::ratio), own.meanDb)))
                .arg(figure(own.deepestDb, 1))
                .arg(figure(own.meanDb, 1))
                .arg(figure(100.0 * own.share, 1)) +
            inSeries() + recovery + QString::fromStdString(inWords()) +
            (warning.empty() ? QString() : " " + QString::fromStdString(warning)));
    }
}

// What this row's compressors take together, where there are several.
QString DynamicsEditor::inSeries() const {
    const auto traced = bench_.tracer.of(row_);
    if (traced == nullptr) return {};
    std::vector<std::span<const float>> gains;
    for (std::size_t i = 0; i < std::min(row().chain.size(), traced->stages.size()); ++i) {
        const Stage& s = row().chain[i];
        if (s.on && (s.type == "compressor" || s.type == "limiter"))
            gains.emplace_back(traced->stages[i].gainDb);
    }
    if (gains.size() < 2) return {};
    const Reduction all = reductionOf(gains);
    return tr("All %1 in series take up to %2 dB together, %3 dB on average. ")
        .arg(gains.size())
        .arg(figure(all.deepestDb, 1))
        .arg(figure(all.meanDb, 1));
}

// Where peaks and bodies of the strokes stand on their way in.
void DynamicsEditor::drawLines(const StrokeLines& lines) {
    const Palette& p = colours();
    const auto put = [&](QCPItemLine* line, QCPItemText* name, double db, const QString& text) {
        const bool known = db > -100.0;
        line->setVisible(known);
        name->setVisible(known);
        line->setPen(QPen(p.slate, 1.0, Qt::DashDotLine));
        line->start->setCoords(0.0, db);
        line->end->setCoords(1.0, db);
        name->setText(text.arg(figure(db, 0)));
        name->setColor(p.chalk);
        name->setBrush(p.stave);
        name->position->setCoords(0.005, db);
    };
    put(peakLine_, peakName_, lines.peakDb, tr("usual peak %1"));
    put(bodyLine_, bodyName_, lines.bodyDb, tr("usual body %1"));
}

// At each stroke, whether the gain had come back by then: a filled dot where it had.
QString DynamicsEditor::drawRecovery(const StageTrace& t, const std::vector<double>& strokes) {
    QVector<double> backX, backY, notX, notY;
    for (std::size_t n = 1; n < strokes.size(); ++n) {
        // The gain just before the stroke arrives.
        const auto block =
            static_cast<std::size_t>(std::max(0.0, (strokes[n] - 0.003) / secondsPerBlock()));
        if (block >= t.gainDb.size()) break;
        const auto gain = static_cast<double>(t.gainDb[block]);
        const bool back = gain > -kRecovered;
        (back ? backX : notX) << strokes[n];
        (back ? backY : notY) << gain;
    }
    const Palette& p = colours();
    for (QCPGraph* graph : {recovered_, late_}) {
        graph->setScatterStyle(
            QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(p.chalk, 1.0),
                            graph == recovered_ ? QBrush(p.chalk) : QBrush(p.stave), 6));
    }
    recovered_->setData(backX, backY, true);
    late_->setData(notX, notY, true);
    const auto all = backX.size() + notX.size();
    return all == 0 ? QString()
                    : tr("Back within %1 dB before %2 of %3 strokes. ")
                          .arg(figure(kRecovered, 0))
                          .arg(backX.size())
                          .arg(all);
}

// What ratio and knee mean here, what to listen for, and what the detector's filter makes it press.
std::string DynamicsEditor::inWords() const {
    const double ratio = value(Compressor::ratio), knee = value(Compressor::knee);
    std::string text = "10 dB more coming in are " + numberText(10.0 / ratio, 1) +
                       " dB more going out; " +
                       (knee >= 6.0 ? "the soft knee begins gently below the threshold"
                                    : "the hard knee begins at the threshold") +
                       ". ";
    text += value(Compressor::attack) >= 10.0
                ? "Listen for the stick: it passes before the gain falls."
                : "Listen for the stick: with so short an attack it is pressed too.";
    const bool low = value(Compressor::keyHighPass) > parameter(Compressor::keyHighPass).minimum,
               high = value(Compressor::keyLowPass) < parameter(Compressor::keyLowPass).maximum;
    if (low || high)
        text += " The detector hears one band only; what it finds there presses everything.";
    return text;
}

void DynamicsEditor::drawCurve() {
    curve_->applyLook();
    const Palette& p = colours();
    const double threshold = value(Compressor::threshold), ratio = value(Compressor::ratio),
                 knee = value(Compressor::knee), range = value(Compressor::range);
    const double makeUp = value(Compressor::makeUp), mix = value(Compressor::mix) / 100.0;
    QVector<double> x, y;
    const auto out = [&](double in) {
        const double wet = gainFromDb(compressorCurve(in, threshold, ratio, knee, range) + makeUp);
        return in + dbFromGain(mix * wet + 1.0 - mix);
    };
    for (double in = kLow; in <= 0.0; in += 0.25) {
        x << in;
        y << out(in);
    }
    unity_->setPen(QPen(p.quiet, 1.0, Qt::DashLine));
    unity_->setData(QVector<double>{kLow, 0.0}, QVector<double>{kLow, 0.0}, true);
    line_->setPen(QPen(stage().on ? p.ember : p.quiet, 2.2));
    line_->setData(x, y, true);
    now_->setScatterStyle(
        QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(p.chalk), QBrush(p.chalk), 9));
    curve_->yAxis->setRange(kLow, std::max(3.0, std::ceil(out(0.0) / 6.0) * 6.0));
    curve_->setHandles({{"threshold", told(Compressor::threshold), Handle::Kind::point, threshold,
                         out(threshold), stage().on ? p.ember : p.quiet, false, true},
                        {"ratio", told(Compressor::ratio), Handle::Kind::point, -1.2, out(-1.2),
                         stage().on ? p.ember : p.quiet, false, true}});
    curve_->replot(QCustomPlot::rpQueuedReplot);
}

void DynamicsEditor::tick() {
    if (!alive()) return;
    history_->setPlayhead(bench_.player.position());
    const RowMeter* meter = bench_.player.playing() ? bench_.player.meter(row_) : nullptr;
    const auto index = static_cast<std::size_t>(stageIndex());
    const bool shown = now_->data()->size() > 0;
    if (meter == nullptr || !stage().on || index >= meter->stage.size()) {
        if (shown) {
            now_->data()->clear();
            curve_->replot(QCustomPlot::rpQueuedReplot);
        }
        return;
    }
    const double key = dbFromGain(static_cast<double>(meter->stage[index].keyPeak));
    now_->setData(QVector<double>{key},
                  QVector<double>{key + static_cast<double>(meter->stage[index].gainDb) +
                                  value(Compressor::makeUp)},
                  true);
    curve_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace ember::app
