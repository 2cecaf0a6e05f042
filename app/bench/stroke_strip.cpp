#include "app/bench/stroke_strip.h"

#include "app/bench/stage_editor.h"
#include "app/theme/theme.h"
#include "core/base/error.h"
#include "core/base/units.h"

#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kLevelMs = 150.0, kWaveMs = 60.0;  // of one stroke that are drawn

}  // namespace

StrokeStrip::StrokeStrip(Bench& bench, std::string row, std::string stage, bool level, bool attacks,
                         QWidget* parent)
    : QWidget(parent),
      bench_(bench),
      row_(std::move(row)),
      stage_(std::move(stage)),
      attacks_(attacks) {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    plot_ = new Plot(this);
    plot_->setObjectName("stroke-strip");
    plot_->setAccessibleName(tr("One stroke before and after"));
    plot_->setToolTip(attacks ? tr("A usual accent as it comes in (brown) and goes out (ember). In "
                                   "the level, dotted: with a quarter of the attack; dashed: with "
                                   "four times as much.")
                              : tr("A usual accent as it comes into this step (brown) and as it "
                                   "leaves it (ember; grey: as it would if this step were on)."));
    plot_->xAxis->setLabel(tr("milliseconds from the stroke"));
    plot_->yAxis->ticker()->setTickCount(3);
    before_ = plot_->addGraph();
    after_ = plot_->addGraph();
    fast_ = plot_->addGraph();
    slow_ = plot_->addGraph();
    foot_ = plot_->addGraph();
    foot_->setPen(Qt::NoPen);
    box->addWidget(plot_);
    wave_ = new QToolButton(this);
    wave_->setObjectName("stroke-wave");
    wave_->setText(tr("Wave"));
    wave_->setCheckable(true);
    wave_->setChecked(!level);
    wave_->setStyleSheet("padding: 0 6px; min-height: 16px;");
    wave_->setToolTip(tr("The wave itself, or the level over time."));
    connect(wave_, &QToolButton::clicked, this, &StrokeStrip::draw);
    rest_.setSingleShot(true);
    rest_.setInterval(150);
    connect(&rest_, &QTimer::timeout, this, &StrokeStrip::look);
    connect(&viewing_, &QFutureWatcherBase::finished, this, [this] {
        view_ = viewing_.result();
        draw();
    });
    draw();
}

StrokeStrip::~StrokeStrip() {
    viewing_.waitForFinished();
}

void StrokeStrip::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    wave_->adjustSize();
    wave_->move(width() - wave_->width() - 10, 8);
    wave_->raise();
}

void StrokeStrip::follow() {
    rest_.start();
}

void StrokeStrip::look() {
    if (viewing_.isRunning()) return rest_.start();
    const Session& session = bench_.workspace.session();
    const Row* row = findRow(session, row_);
    const auto measured = bench_.listener.measured();
    if (row == nullptr || findStage(*row, stage_) == nullptr || measured == nullptr) return;
    const double time = usualStroke(session, measured->strokes.strokes, row_);
    // A bus has no strokes of its own: nothing would ever be drawn.
    setVisible(time >= 0.0);
    if (time < 0.0) return;
    viewing_.setFuture(
        QtConcurrent::run([session, store = &bench_.workspace.store(), row = row_, stage = stage_,
                           time, attacks = attacks_]() -> std::shared_ptr<const StrokeView> {
            try {
                return std::make_shared<StrokeView>(
                    viewStroke(session, *store, row, stage, time, attacks));
            } catch (const Error&) {
                return nullptr;  // the player has said which recording is missing
            }
        }));
}

void StrokeStrip::draw() {
    plot_->applyLook();
    const bool wave = wave_->isChecked();
    plot_->xAxis->setRange(-1000.0 * StrokeView::kLead, wave ? kWaveMs : kLevelMs);
    plot_->yAxis->setLabel(wave ? tr("wave") : tr("dBFS"));
    for (QCPGraph* graph : {fast_, slow_, foot_}) graph->setVisible(!wave && attacks_);
    if (view_ != nullptr) wave ? drawWave() : drawLevel();
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

QColor StrokeStrip::answerColour() const {
    const Row* row = findRow(bench_.workspace.session(), row_);
    const Stage* stage = row != nullptr ? findStage(*row, stage_) : nullptr;
    return stage != nullptr && !stage->on ? colours().quiet : colours().ember;
}

void StrokeStrip::drawWave() {
    const Palette& p = colours();
    float top = 1e-4F;
    const auto put = [&](QCPGraph* graph, const std::vector<float>& x) {
        QVector<double> ms, value;
        const auto end = std::min(
            x.size(),
            static_cast<std::size_t>((StrokeView::kLead + 1e-3 * kWaveMs) * view_->sampleRate));
        for (std::size_t i = 0; i < end; ++i) {
            ms << 1000.0 * (static_cast<double>(i) / view_->sampleRate - StrokeView::kLead);
            value << static_cast<double>(x[i]);
            top = std::max(top, std::abs(x[i]));
        }
        graph->setData(ms, value, true);
    };
    put(before_, view_->before);
    put(after_, view_->now);
    before_->setChannelFillGraph(nullptr);
    before_->setBrush(Qt::NoBrush);
    before_->setPen(QPen(p.wave, 2.4));
    after_->setPen(QPen(answerColour(), 1.3));
    plot_->yAxis->setRange(-1.08 * static_cast<double>(top), 1.08 * static_cast<double>(top));
}

void StrokeStrip::drawLevel() {
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
    put(before_, view_->before);
    put(after_, view_->now);
    put(fast_, view_->fast);
    put(slow_, view_->slow);
    foot_->setVisible(true);
    foot_->setData(QVector<double>{-1000.0, 1000.0}, QVector<double>{kSilenceDb, kSilenceDb}, true);
    QColor ground = p.wave;
    ground.setAlpha(110);
    before_->setPen(QPen(p.wave, 1.0));
    before_->setBrush(ground);
    before_->setChannelFillGraph(foot_);
    after_->setPen(QPen(answerColour(), 2.0));
    fast_->setPen(QPen(p.chalk, 1.0, Qt::DotLine));
    slow_->setPen(QPen(p.chalk, 1.0, Qt::DashLine));
    double top = -60.0;
    for (const QCPGraph* graph : {before_, after_, slow_}) {
        for (const auto& point : *graph->data()) top = std::max(top, point.value);
    }
    plot_->yAxis->setRange(std::floor(top / 6.0) * 6.0 - 36.0, std::ceil((top + 1.0) / 6.0) * 6.0);
}

}  // namespace ember::app
