#include "app/bench/align_editor.h"

#include "app/bench/align_wave.h"
#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "core/base/error.h"
#include "core/dsp/align.h"

#include <QLabel>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kViewMs = 14.0;

}  // namespace

AlignEditor::AlignEditor(Bench bench, const std::string& row, const std::string& stageId,
                         EditorSize size, QWidget* parent)
    : StageEditor(bench, row, stageId, size, parent) {
    plot_ = new Plot(this);
    plot_->setObjectName("align-plot");
    plot_->setAccessibleName(tr("Waves of this microphone and its reference"));
    plot_->setToolTip(
        tr("One loud stroke at sample scale: this microphone, its reference and the sum of both. "
           "Drag the line to move this microphone in time."));
    plot_->setKeySteps(1000.0 / bench.workspace.session().sampleRate, 0.0);
    other_ = plot_->addGraph();
    own_ = plot_->addGraph();
    sum_ = plot_->addGraph();
    plot_->xAxis->setLabel(tr("milliseconds"));
    plot_->yAxis->setLabel(tr("share of the peak"));
    plot_->setInteraction(QCP::iRangeZoom, true);
    plot_->axisRect()->setRangeZoom(Qt::Horizontal);
    plot_->xAxis->setRange(-4.0, kViewMs - 4.0);
    plots()->addWidget(plot_, 1);
    connect(plot_, &Plot::handleMoved, this,
            [this](const QString&, double x, double) { put(Align::delay, x); });
    connect(plot_, &Plot::handleReleased, this, [this] { bench_.workspace.endGesture(); });
    connect(plot_, &Plot::handleReset, this, [this] { reset(Align::delay); });
    for (const int i : {Align::delay, Align::polarity, Align::trim}) addField(i);
    if (this->row().sources.size() == 2) {
        for (const int i : {Align::rightDelay, Align::rightPolarity, Align::rightTrim}) addField(i);
    }
    legend_ = new QLabel(this);
    addNote(legend_);
    meter_ = new SumMeter(this);
    numbers()->addWidget(meter_);
    numbers()->addStretch(1);
    const bool recorded = playsRecordings(this->row());
    plot_->setVisible(recorded);
    meter_->setVisible(recorded);
    openRecordings();
    refresh();
}

void AlignEditor::openRecordings() {
    if (!playsRecordings(row())) return;  // layers are lined up on their own page
    const Session& session = bench_.workspace.session();
    const Row* reference = alignReference(session, row());
    try {
        clip_ = bench_.workspace.store().open(row().sources[0].file, session.sampleRate);
        if (reference != nullptr) {
            referenceId_ = reference->id;
            reference_ =
                bench_.workspace.store().open(reference->sources[0].file, session.sampleRate);
        }
    } catch (const Error&) {
        return;  // the player has said which recording is missing
    }
    const LoudestStroke found = loudestStroke(*clip_, row());
    stroke_ = found.frame;
    loudest_ = found.peak;
}

void AlignEditor::tick() {
    if (!alive() || clip_ == nullptr || !bench_.player.playing()) return;
    const double rate = clip_->sampleRate();
    const auto now = static_cast<Frames>(bench_.player.position() * rate);
    // The stroke's tail must have passed, or the picture would end in the unheard.
    const LoudestStroke passed = loudestStroke(*clip_, row(), now - static_cast<Frames>(0.3 * rate),
                                               now - static_cast<Frames>(0.04 * rate));
    if (passed.peak < 0.25F * loudest_ ||
        std::abs(passed.frame - stroke_) < static_cast<Frames>(0.1 * rate))
        return;
    stroke_ = passed.frame;
    redraw();
}

void AlignEditor::redraw() {
    plot_->applyLook();
    const Palette& p = colours();
    if (clip_ == nullptr || stroke_ < 0) {
        say(playsRecordings(row())
                ? tr("This row's recording is missing or silent; there is nothing to line up.")
                : tr("The layers of this row are lined up on the Layers page; what is set here "
                     "moves them all."));
        return;
    }
    const double rate = clip_->sampleRate();
    const Frames from = stroke_ - static_cast<Frames>(0.020 * rate);
    const auto frames = static_cast<int>(0.060 * rate);
    const std::vector<double> own = alignedWave(*clip_, row(), from, frames);
    std::vector<double> other(own.size(), 0.0);
    const Row* reference =
        referenceId_.empty() ? nullptr : findRow(bench_.workspace.session(), referenceId_);
    if (reference != nullptr && reference_ != nullptr)
        other = alignedWave(*reference_, *reference, from, frames);
    QVector<double> x, a, b, both;
    double ownPeak = 1e-9, otherPeak = 1e-9, sumPower = 0.0, ownPower = 0.0, otherPower = 0.0;
    for (std::size_t i = 0; i < own.size(); ++i) {
        ownPeak = std::max(ownPeak, std::abs(own[i]));
        otherPeak = std::max(otherPeak, std::abs(other[i]));
    }
    for (std::size_t i = 0; i < own.size(); ++i) {
        x << (static_cast<double>(i) / rate - 0.020) * 1000.0;
        a << own[i] / ownPeak;
        b << other[i] / otherPeak;
        both << (own[i] / ownPeak + other[i] / otherPeak) / 2.0;
        ownPower += a.back() * a.back();
        otherPower += b.back() * b.back();
        sumPower += 4.0 * both.back() * both.back();
    }
    own_->setPen(QPen(p.chalk, 1.6));
    other_->setPen(QPen(p.slate, 1.4));
    sum_->setPen(QPen(p.ember, 1.4, Qt::DashLine));
    own_->setData(x, a, true);
    other_->setVisible(reference != nullptr);
    sum_->setVisible(reference != nullptr);
    other_->setData(x, b, true);
    sum_->setData(x, both, true);
    plot_->yAxis->setRange(-1.1, 1.1);
    plot_->setHandles({{"delay",
                        tr("moved %1")
                            .arg(QString::fromStdString(
                                formatValue(parameter(Align::delay), value(Align::delay)))),
                        Handle::Kind::vertical, value(Align::delay), 0.0, p.ember, false, true}});
    plot_->replot(QCustomPlot::rpQueuedReplot);
    meter_->setVisible(reference != nullptr);
    if (reference == nullptr) {
        legend_->clear();
        say(tr("There is no other microphone to compare this one with."));
        return;
    }
    const QString name = QString::fromStdString(reference->name);
    legend_->setText(
        tr("<span style='color:%1'>━</span> this microphone<br><span style='color:%2'>━</span> "
           "%3<br><span style='color:%4'>╍</span> their sum, halved")
            .arg(p.chalk.name(), p.slate.name(), name, p.ember.name()));
    const double gain = 10.0 * std::log10((sumPower + 1e-12) / (ownPower + otherPower + 1e-12));
    meter_->setLevel(gain);
    say(tr("Around this stroke, both at equal peaks: together %1 dB against two sounds that "
           "share nothing (at best +3, in opposition far below 0).")
            .arg(change(gain)));
}

}  // namespace ember::app
