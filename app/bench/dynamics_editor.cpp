#include "app/bench/dynamics_editor.h"

#include "app/theme/theme.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/dsp/compressor.h"
#include "core/measure/kit_mics.h"
#include "core/measure/press.h"

#include <QHBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace ember::app {
namespace {

constexpr double kLow = -60.0;
constexpr double kStrokeMs = 150.0;  // of one stroke that are drawn
constexpr double kRecovered = 1.0;   // dB of reduction that count as none

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
    history_->setToolTip(
        tr("Brown: level in. Ember: level out. Line from the top: gain reduction as it really "
           "happened. Dots: at each stroke, filled where the gain had come back."));
    history_->yAxis->setRange(-48.0, 6.0);
    recovered_ = history_->addGraph(history_->xAxis, history_->yAxis2);
    late_ = history_->addGraph(history_->xAxis, history_->yAxis2);
    for (QCPGraph* graph : {recovered_, late_}) graph->setLineStyle(QCPGraph::lsNone);
    auto* side = new QHBoxLayout;
    side->addWidget(curve_, 2);
    side->addWidget(history_, 3);
    plots()->addLayout(side, 3);
    if (size == EditorSize::full) {
        stroke_ = new Plot(this);
        stroke_->setObjectName("dynamics-stroke");
        stroke_->setAccessibleName(tr("One stroke before and after"));
        stroke_->setToolTip(
            tr("A usual accent as it comes in (brown) and goes out (ember). Dotted: with a quarter "
               "of the attack; dashed: with four times as much."));
        stroke_->xAxis->setLabel(tr("milliseconds from the stroke"));
        stroke_->yAxis->setLabel(tr("dBFS"));
        stroke_->xAxis->setRange(-1000.0 * StrokeView::kLead, kStrokeMs);
        before_ = stroke_->addGraph();
        after_ = stroke_->addGraph();
        fast_ = stroke_->addGraph();
        slow_ = stroke_->addGraph();
        foot_ = stroke_->addGraph();
        foot_->setPen(Qt::NoPen);
        before_->setChannelFillGraph(foot_);
        plots()->addWidget(stroke_, 2);
        rest_.setSingleShot(true);
        rest_.setInterval(150);
        connect(&rest_, &QTimer::timeout, this, &DynamicsEditor::viewStroke);
        connect(&viewing_, &QFutureWatcherBase::finished, this, [this] {
            view_ = viewing_.result();
            drawStroke();
        });
    }
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
    viewing_.waitForFinished();
}

void DynamicsEditor::viewStroke() {
    if (!alive() || stroke_ == nullptr) return;
    if (viewing_.isRunning()) return rest_.start();
    const auto measured = bench_.listener.measured();
    const double time = measured == nullptr ? -1.0
                                            : usualStroke(bench_.workspace.session(),
                                                          measured->strokes.strokes, row_);
    if (time < 0.0) return;
    viewing_.setFuture(QtConcurrent::run(
        [session = bench_.workspace.session(), store = &bench_.workspace.store(), row = row_,
         stage = stage_, time]() -> std::shared_ptr<const StrokeView> {
            try {
                return std::make_shared<StrokeView>(
                    ember::viewStroke(session, *store, row, stage, time));
            } catch (const Error&) {
                return nullptr;  // the player has said which recording is missing
            }
        }));
}

void DynamicsEditor::drawStroke() {
    if (stroke_ == nullptr) return;
    stroke_->applyLook();
    const Palette& p = colours();
    const auto put = [&](QCPGraph* graph, const std::vector<float>& x) {
        QVector<double> ms, db;
        // Peaks over two milliseconds: shape, not waves.
        const auto step = static_cast<std::size_t>(view_->sampleRate / 500.0);
        for (std::size_t at = 0; at + step <= x.size(); at += step) {
            float peak = 0.0F;
            for (std::size_t i = at; i < at + step; ++i) peak = std::max(peak, std::abs(x[i]));
            ms << 1000.0 * (static_cast<double>(at) / view_->sampleRate - StrokeView::kLead);
            db << std::max(-90.0, dbFromGain(static_cast<double>(peak)));
        }
        graph->setData(ms, db, true);
    };
    if (view_ == nullptr) return;
    put(before_, view_->before);
    put(after_, view_->now);
    put(fast_, view_->fast);
    put(slow_, view_->slow);
    foot_->setData(QVector<double>{-1000.0, 1000.0}, QVector<double>{-150.0, -150.0}, true);
    QColor ground = p.wave;
    ground.setAlpha(110);
    before_->setPen(QPen(p.wave, 1.0));
    before_->setBrush(ground);
    after_->setPen(QPen(stage().on ? p.ember : p.quiet, 2.0));
    fast_->setPen(QPen(p.chalk, 1.0, Qt::DotLine));
    slow_->setPen(QPen(p.chalk, 1.0, Qt::DashLine));
    double top = -60.0;
    for (const QCPGraph* graph : {before_, after_, slow_}) {
        for (const auto& point : *graph->data()) top = std::max(top, point.value);
    }
    stroke_->yAxis->setRange(std::floor(top / 6.0) * 6.0 - 36.0,
                             std::ceil((top + 1.0) / 6.0) * 6.0);
    stroke_->replot(QCustomPlot::rpQueuedReplot);
}

void DynamicsEditor::redraw() {
    drawCurve();
    drawStroke();
    if (stroke_ != nullptr) rest_.start();
    history_->applyColours();
    const StageTrace* t = trace();
    if (t == nullptr) {
        history_->setData(nullptr, nullptr, nullptr, secondsPerBlock(), -24.0);
        say(tr("Measuring this row …"));
        return;
    }
    double deepest = 0.0;
    // Reduction over the blocks that are loud enough to matter: mean of what lies above 1 dB.
    double sum = 0.0;
    int count = 0;
    for (const float g : t->gainDb) {
        const double v = static_cast<double>(g);
        deepest = std::min(deepest, v);
        if (v < -1.0) {
            sum += v;
            ++count;
        }
    }
    history_->setData(&t->inputPeak, stage().on ? &t->outputPeak : nullptr, &t->gainDb,
                      secondsPerBlock(), std::min(-12.0, std::floor(deepest / 6.0) * 12.0));
    history_->showSpan(pictureSpan(bench_.workspace.session(), t->inputPeak, secondsPerBlock()));
    if (!stage().on) {
        say(tr("Off: the curve is drawn but not heard."));
    } else if (deepest > -0.1) {
        say(tr("On, but nothing in this row reaches the threshold."));
    } else {
        std::vector<double> strokes;
        const std::string drum = drumOfRow(bench_.workspace.session(), row_);
        if (const auto measured = bench_.listener.measured(); measured != nullptr) {
            for (const Stroke& s : measured->strokes.strokes) {
                if (s.drum == drum) strokes.push_back(s.time);
            }
        }
        const QString recovery = drawRecovery(*t, strokes);
        const std::string warning =
            pressWarning(measurePress(t->inputPeak, t->outputPeak, secondsPerBlock(), strokes));
        say(tr("Up to %1 dB of reduction; %2 dB on average while it works, %3 % of the time. ")
                .arg(-deepest, 0, 'f', 1)
                .arg(count > 0 ? -sum / count : 0.0, 0, 'f', 1)
                .arg(100.0 * count / static_cast<double>(t->gainDb.size()), 0, 'f', 1) +
            recovery + QString::fromStdString(warning.empty() ? inWords() : warning));
    }
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
                          .arg(kRecovered, 0, 'f', 0)
                          .arg(backX.size())
                          .arg(all);
}

// What ratio and knee mean here, what to listen for, and what the detector's filter makes it press.
std::string DynamicsEditor::inWords() const {
    const double ratio = value(Compressor::ratio), knee = value(Compressor::knee);
    char meaning[160];
    std::snprintf(meaning, sizeof meaning, "10 dB more coming in are %.1f dB more going out; %s. ",
                  10.0 / ratio,
                  knee >= 6.0 ? "the soft knee begins gently below the threshold"
                              : "the hard knee begins at the threshold");
    std::string text = meaning;
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
    curve_->setHandles({{"threshold", "T", Handle::Kind::point, threshold, out(threshold),
                         stage().on ? p.ember : p.quiet, false, true},
                        {"ratio", "R", Handle::Kind::point, -1.2, out(-1.2),
                         stage().on ? p.ember : p.quiet, false, true}});
    curve_->replot(QCustomPlot::rpQueuedReplot);
}

void DynamicsEditor::tick() {
    if (!alive()) return;
    history_->setPlayhead(bench_.player.position());
    const RowMeter* meter = bench_.player.playing() ? bench_.player.meter(row_) : nullptr;
    const int index = stageIndex();
    const bool shown = now_->data()->size() > 0;
    if (meter == nullptr || !stage().on || index >= RowMeter::kStages) {
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
