// What the compressor's bench tries out beside the setting that is heard: its detector swept, other
// times, and a transient shaper in its place.

#include "app/bench/dynamics_editor.h"
#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "core/advise/proposal.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/dsp/compressor.h"
#include "core/dsp/key_filter.h"
#include "core/engine/plan.h"
#include "core/engine/trace.h"
#include "core/measure/kit/kit_mics.h"

#include <QHBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {

// What the detector hears, in place of the stroke: the spectra of the drums in it, and its corners.
void DynamicsEditor::buildDetector() {
    detector_ = new Plot(this);
    detector_->setObjectName("dynamics-detector");
    detector_->setAccessibleName(tr("What the detector hears"));
    detector_->setToolTip(
        tr("Ember: this drum’s strokes in what the detector hears. Thin: its neighbours’. Drag the "
           "two corners through the spectrum while listening: a neighbour that drops out drives "
           "the compressor no more; where that is so is written at its foot."));
    detector_->setupFrequencyAxis(-66.0, 3.0);
    detector_->setKeySteps(1.0 / 12.0, 0.0);
    detector_->hide();
    plots()->addWidget(detector_, 2);
    connect(detector_, &Plot::handleMoved, this, [this](const QString& id, double x, double) {
        put(id == "high-pass" ? Compressor::keyHighPass : Compressor::keyLowPass, x);
    });
    connect(detector_, &Plot::handleReleased, this, [this] { bench_.workspace.endGesture(); });
    connect(detector_, &Plot::handleReset, this, [this](const QString& id) {
        reset(id == "high-pass" ? Compressor::keyHighPass : Compressor::keyLowPass);
    });
    auto* line = new QHBoxLayout;
    line->setSpacing(4);
    sweep_ = new QToolButton(this);
    sweep_->setObjectName("dynamics-sweep");
    sweep_->setText(tr("Sweep"));
    sweep_->setAccessibleName(tr("Sweep the detector"));
    sweep_->setCheckable(true);
    sweep_->setToolTip(
        tr("Plays what the detector hears and shows it: drag its corners until the drum that "
           "should not drive it has gone. Again: the compressor as it was, with the corners where "
           "they were left."));
    connect(sweep_, &QToolButton::clicked, this, [this](bool on) {
        put(Compressor::keyListen, on ? 1.0 : 0.0);
        bench_.workspace.endGesture();
    });
    auto* shaper = new QToolButton(this);
    shaper->setObjectName("dynamics-shaper");
    shaper->setText(tr("Or a shaper"));
    shaper->setCheckable(true);
    shaper->setToolTip(
        tr("Plays a transient shaper in its place that changes attack against body as much, at the "
           "same loudness: does it have to be a compressor? Nothing is changed; again: back."));
    connect(shaper, &QToolButton::clicked, this, [this, shaper](bool on) {
        if (!on) return bench_.player.preview({});
        if (!playShaper()) shaper->setChecked(false);
    });
    connect(&bench_.player, &Player::previewChanged, shaper,
            [shaper](bool heard) { shaper->setChecked(heard && shaper->isChecked()); });
    line->addWidget(sweep_);
    line->addWidget(shaper);
    numbers()->addLayout(line);
    connect(&hearing_, &QFutureWatcherBase::finished, this, [this] {
        drums_ = hearing_.result();
        drawDetector();
    });
    rest_.setSingleShot(true);
    rest_.setInterval(200);
    connect(&rest_, &QTimer::timeout, this, &DynamicsEditor::viewPressing);
    connect(&pressing_, &QFutureWatcherBase::finished, this, [this] {
        press_ = pressing_.result();
        drawPressing();
    });
}

bool DynamicsEditor::playShaper() {
    const auto measured = bench_.listener.measured();
    const std::string drum = drumOfRow(bench_.workspace.session(), row_);
    for (const DrumTone& tone : measured != nullptr ? measured->tone : std::vector<DrumTone>{}) {
        if (tone.drum != drum) continue;
        const auto values = shaperLike(tone, stage().values);
        if (!values) break;
        Session other = bench_.workspace.session();
        other = withStageAdded(std::move(other), row_, "transient", stage_);
        Row& row = requireRow(other, row_);
        const auto at = std::find_if(row.chain.begin(), row.chain.end(),
                                     [&](const Stage& s) { return s.id == stage_; });
        at->on = false;
        Stage& shaper = *(at + 1);
        shaper.values = *values;
        shaper.on = true;
        const StageTrace* t = trace();
        const Span span = pictureSpan(other, t != nullptr ? t->inputPeak : std::vector<float>{},
                                      secondsPerBlock());
        try {
            // As loud as the compressor leaves it.
            const int here = stageIndex();
            const double pressed = matchGainDb(bench_.workspace.session(), bench_.workspace.store(),
                                               row_, stageBit(here), span.from, span.to),
                         shaped = matchGainDb(other, bench_.workspace.store(), row_,
                                              stageBit(here + 1), span.from, span.to);
            shaper.values[static_cast<std::size_t>(
                parameterIndex(processorType("transient").table, "output"))] =
                std::clamp(pressed - shaped, -24.0, 24.0);
        } catch (const Error&) {
            return false;  // the player has said which recording is missing
        }
        bench_.player.preview(std::move(other));
        return true;
    }
    emit bench_.workspace.refused(
        tr("No shaper does the same to this drum, or its strokes are not known yet."));
    return false;
}

void DynamicsEditor::viewPressing() {
    const StageTrace* t = alive() ? trace() : nullptr;
    if (t == nullptr) return;
    if (pressing_.isRunning()) return rest_.start();
    const Span span = pictureSpan(bench_.workspace.session(), t->inputPeak, secondsPerBlock());
    pressing_.setFuture(
        QtConcurrent::run([session = bench_.workspace.session(), store = &bench_.workspace.store(),
                           row = row_, stage = stage_, span]() -> std::shared_ptr<const PressView> {
            try {
                return std::make_shared<PressView>(
                    viewPress(session, *store, row, stage, span.from, span.to));
            } catch (const Error&) {
                return nullptr;  // the player has said which recording is missing
            }
        }));
}

void DynamicsEditor::drawPressing() {
    const auto put = [&](QCPGraph* graph, const std::vector<float>& gain) {
        QVector<double> x, y;
        for (std::size_t i = 0; i < gain.size(); ++i) {
            x << press_->from + static_cast<double>(i) * press_->secondsPerBlock;
            y << static_cast<double>(gain[i]);
        }
        graph->setData(x, y, true);
    };
    if (press_ == nullptr) return;
    put(quick_, press_->fast);
    put(lazy_, press_->slow);
    quick_->setPen(QPen(colours().slate, 1.0, Qt::DotLine));
    lazy_->setPen(QPen(colours().slate, 1.2, Qt::DashLine));
    history_->replot(QCustomPlot::rpQueuedReplot);
}

void DynamicsEditor::hearDrums() {
    const auto measured = bench_.listener.measured();
    const std::string heard = stage().key.empty() ? row_ : stage().key;
    if (measured == nullptr || hearing_.isRunning() || (measured == heardOf_ && heard == heardRow_))
        return;
    heardOf_ = measured;
    heardRow_ = heard;
    hearing_.setFuture(QtConcurrent::run(
        [session = bench_.workspace.session(), store = &bench_.workspace.store(), heard, measured] {
            try {
                return keyDrums(session, *store, measured->strokes.strokes, heard);
            } catch (const Error&) {
                return std::vector<KeyDrum>{};  // the player has said what is missing
            }
        }));
}

void DynamicsEditor::drawDetector() {
    if (detector_ == nullptr || !alive() || detector_->isHidden()) return;
    hearDrums();
    detector_->applyLook();
    const Palette& p = colours();
    const double high = value(Compressor::keyHighPass), low = value(Compressor::keyLowPass);
    detector_->clearItems();
    while (detector_->graphCount() > 0) detector_->removeGraph(0);
    const auto name = [&](const std::string& drum) {
        return QString::fromStdString(drumName(bench_.workspace.session(), drum));
    };
    const auto label = [&](const QString& words, double hertz, double db, Qt::Alignment side) {
        auto* text = new QCPItemText(detector_);
        text->setText(words);
        text->setFont(face(11));
        text->setColor(p.chalk);
        text->setBrush(p.stave);
        text->setPadding({3, 1, 3, 1});
        text->setPositionAlignment(side | Qt::AlignBottom);
        text->position->setCoords(hertz, db);
    };
    double top = kSilenceDb;
    for (const KeyDrum& d : drums_) {
        for (const double level : d.spectrum.level) top = std::max(top, level);
    }
    for (std::size_t i = drums_.size(); i-- > 0;) {
        QCPGraph* graph = detector_->addGraph();
        QVector<double> x, y;
        for (std::size_t k = 0; k < drums_[i].spectrum.frequency.size(); ++k) {
            const double f = drums_[i].spectrum.frequency[k];
            double cut = 0.0;
            if (high > KeyFilter::kLowest) cut -= 10.0 * std::log10(1.0 + std::pow(high / f, 4.0));
            if (low < KeyFilter::kHighest) cut -= 10.0 * std::log10(1.0 + std::pow(f / low, 4.0));
            x << f;
            y << drums_[i].spectrum.level[k] + cut - top;
        }
        graph->setPen(i == 0 ? QPen(p.ember, 2.0) : QPen(i < 4 ? p.quiet : p.hoop, 1.0));
        graph->setData(x, y, true);
        const auto highest = std::max_element(y.begin(), y.end());
        if (i < 4 && highest != y.end())
            label(name(drums_[i].drum), x[highest - y.begin()], *highest, Qt::AlignHCenter);
    }
    double row = 0.0;
    for (const DropOut& out : dropOuts(drums_)) {
        label(tr("%1 out %2 %3 Hz")
                  .arg(name(out.drum), out.highPass ? tr("from") : tr("below"))
                  .arg(figure(out.hertz, 0)),
              out.hertz, -65.0 + row, out.highPass ? Qt::AlignLeft : Qt::AlignRight);
        row = row > 30.0 ? 0.0 : row + 11.0;
    }
    const auto corner = [&](int index, double hertz) {
        return std::clamp(hertz, 20.0, 20000.0) == hertz
                   ? told(index)
                   : tr("%1 off").arg(QString::fromStdString(parameter(index).label));
    };
    detector_->setHandles(
        {{"high-pass", corner(Compressor::keyHighPass, high), Handle::Kind::vertical,
          std::max(20.0, high), 0.0, p.ember, false, true},
         {"low-pass", corner(Compressor::keyLowPass, low), Handle::Kind::vertical,
          std::min(20000.0, low), 0.0, p.ember, true, true}});
    detector_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace ember::app
