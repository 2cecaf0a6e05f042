#include "app/bench/gate_editor.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/dsp/gate.h"
#include "core/measure/kit/kit_mics.h"
#include "core/measure/level/level_peaks.h"

#include <QDialog>
#include <QDialogButtonBox>
#include <QHeaderView>
#include <QTableWidget>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kBurstMs = 20.0;  // the made-up stroke of the opening shape

}  // namespace

GateEditor::GateEditor(Bench bench, const std::string& row, const std::string& stage,
                       EditorSize size, QWidget* parent)
    : StageEditor(bench, row, stage, size, parent) {
    buildHistory();
    if (size == EditorSize::full) buildShape();
    addStroke(false, false, 2);
    if (size == EditorSize::full) buildTrials();
    addField(Gate::keySource);
    for (const int i :
         {Gate::threshold, Gate::hysteresis, Gate::attack, Gate::hold, Gate::release, Gate::floor})
        addField(i);
    for (const int i : {Gate::strokeLength, Gate::strokeEarly, Gate::ghostLift, Gate::lookAhead,
                        Gate::keyHighPass, Gate::keyLowPass, Gate::keyListen, Gate::output})
        addField(i, {}, true);
    numbers()->addStretch(1);
    refresh();
}

void GateEditor::buildHistory() {
    history_ = new HistoryPlot(this);
    history_->setObjectName("gate-history");
    history_->setAccessibleName(tr("Level over time with both thresholds"));
    history_->setToolTip(
        tr("Brown: what the gate hears. Ember: what it lets through. Line: its gain. Dots: "
           "strokes, filled when they open it. "
           "Drag the lines; the wheel zooms, dragging the ground moves along the song; dragging "
           "with Shift over a stroke sets how long the gate stays open."));
    connect(history_, &HistoryPlot::spanDragged, this, [this](double from, double to) {
        put(byStrokes() ? Gate::strokeLength : Gate::hold, 1000.0 * (to - from));
        bench_.workspace.endGesture();
    });
    opened_ = history_->addGraph();
    stayed_ = history_->addGraph();
    state_ = new QCPItemText(history_);
    state_->position->setType(QCPItemPosition::ptAxisRectRatio);
    state_->position->setCoords(0.995, 0.08);
    state_->setPositionAlignment(Qt::AlignRight | Qt::AlignTop);
    state_->setFont(face(12));
    state_->setText({});
    history_->setKeySteps(0.0, 0.5);
    connect(history_, &Plot::handleMoved, this, &GateEditor::moved);
    connect(history_, &Plot::handleReset, this, &GateEditor::resetHandle);
    connect(history_, &Plot::handleReleased, this, [this] { bench_.workspace.endGesture(); });
    plots()->addWidget(history_, 3);
}

void GateEditor::buildShape() {
    shape_ = new Plot(this);
    shape_->setObjectName("gate-shape");
    shape_->setAccessibleName(tr("Opening shape"));
    shape_->setToolTip(
        tr("What the gain does around one short stroke: drag its ends to set attack, hold and "
           "release, and its foot to set the floor."));
    burst_ = shape_->addGraph();
    curve_ = shape_->addGraph();
    shape_->setKeySteps(1.0, 1.0);
    shape_->xAxis->setLabel(tr("milliseconds from the stroke"));
    shape_->yAxis->setLabel(tr("gain, dB"));
    connect(shape_, &Plot::handleMoved, this, &GateEditor::moved);
    connect(shape_, &Plot::handleReset, this, &GateEditor::resetHandle);
    connect(shape_, &Plot::handleReleased, this, [this] { bench_.workspace.endGesture(); });
    plots()->addWidget(shape_, 2);
}

GateEditor::~GateEditor() {
    trying_.waitForFinished();
}

void GateEditor::buildTrials() {
    trials_ = new QPushButton(tr("Try attacks …"), this);
    trials_->setObjectName("gate-trials");
    trials_->setToolTip(
        tr("One usual stroke through this gate with several attacks and look-aheads: what each "
           "leaves of its front, and where the opening itself begins to click. Both are sometimes "
           "wanted."));
    connect(trials_, &QPushButton::clicked, this, [this] {
        const auto measured = bench_.listener.measured();
        const double time = measured == nullptr ? -1.0
                                                : usualStroke(bench_.workspace.session(),
                                                              measured->strokes.strokes, row_);
        if (time < 0.0)
            return emit bench_.workspace.refused(
                tr("No stroke of this row is known yet to try it on."));
        trials_->setEnabled(false);
        trials_->setText(tr("Trying …"));
        trying_.setFuture(QtConcurrent::run([session = bench_.workspace.session(),
                                             store = &bench_.workspace.store(), row = row_,
                                             stage = stage_, time] {
            try {
                return tryGate(session, *store, row, stage, time, {0.1, 0.5, 1.0, 3.0, 10.0},
                               {0.0, 1.0, 3.0, 8.0});
            } catch (const Error&) {
                return std::vector<GateTrial>{};  // the player has said what is missing
            }
        }));
    });
    connect(&trying_, &QFutureWatcherBase::finished, this, [this] {
        trials_->setEnabled(true);
        trials_->setText(tr("Try attacks …"));
        if (alive() && !trying_.result().empty()) showTrials();
    });
    numbers()->addWidget(trials_);
}

void GateEditor::showTrials() {
    const std::vector<GateTrial> trials = trying_.result();
    std::vector<double> attacks, aheads;
    for (const GateTrial& t : trials) {
        if (std::find(attacks.begin(), attacks.end(), t.attackMs) == attacks.end())
            attacks.push_back(t.attackMs);
        if (std::find(aheads.begin(), aheads.end(), t.lookAheadMs) == aheads.end())
            aheads.push_back(t.lookAheadMs);
    }
    auto* dialog = new QDialog(this);
    dialog->setObjectName("gate-trials-dialog");
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setWindowTitle(tr("Attack and look-ahead, tried"));
    auto* box = new QVBoxLayout(dialog);
    box->addWidget(titleLabel(tr("What opening does to the front of a stroke"), dialog));
    auto* table =
        new QTableWidget(static_cast<int>(aheads.size()), static_cast<int>(attacks.size()), dialog);
    table->setObjectName("gate-trials-table");
    table->setTabKeyNavigation(false);
    table->setAccessibleName(dialog->windowTitle());
    table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    QStringList across, down;
    for (const double a : attacks) across << tr("attack %1 ms").arg(a);
    for (const double l : aheads)
        down << (byStrokes() ? tr("%1 ms early") : tr("%1 ms ahead")).arg(l);
    table->setHorizontalHeaderLabels(across);
    table->setVerticalHeaderLabels(down);
    for (std::size_t i = 0; i < trials.size(); ++i) {
        const GateTrial& t = trials[i];
        auto* item = new QTableWidgetItem(
            tr("front %1 dB%2").arg(change(t.frontDb), t.clicks() ? tr(", clicks") : QString()));
        item->setToolTip(
            tr("The opening adds treble at %1 dB of the stroke’s own.").arg(figure(t.clickDb, 0)));
        table->setItem(static_cast<int>(i / attacks.size()), static_cast<int>(i % attacks.size()),
                       item);
    }
    table->resizeColumnsToContents();
    box->addWidget(table, 1);
    auto* note = new QLabel(
        tr("Front: what is left of the first 5 ms. A soft front sits back, a click helps a drum "
           "through a dense mix; Enter or a double click takes the settings of a cell."),
        dialog);
    note->setProperty("quiet", true);
    note->setWordWrap(true);
    box->addWidget(note);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, dialog);
    for (QAbstractButton* button : buttons->buttons()) button->setIcon({});
    connect(buttons, &QDialogButtonBox::rejected, dialog, &QDialog::reject);
    box->addWidget(buttons);
    connect(table, &QTableWidget::cellActivated, this, [this, attacks, aheads](int r, int c) {
        Session next = bench_.workspace.session();
        Stage& s = requireStage(requireRow(next, row_), stage_);
        s.values[Gate::attack] = attacks[static_cast<std::size_t>(c)];
        s.values[static_cast<std::size_t>(byStrokes() ? Gate::strokeEarly : Gate::lookAhead)] =
            aheads[static_cast<std::size_t>(r)];
        s.mark = Mark::decided;
        bench_.workspace.edit(std::move(next));
    });
    dialog->resize(680, 320);
    dialog->show();
}

void GateEditor::moved(const QString& id, double x, double y) {
    if (id == "threshold") put(Gate::threshold, y);
    if (id == "close") put(Gate::hysteresis, value(Gate::threshold) - y);
    if (id == "floor") put(Gate::floor, y);
    const double look = byStrokes() ? -value(Gate::strokeEarly) : value(Gate::lookAhead),
                 held = byStrokes() ? value(Gate::strokeLength) : kBurstMs + value(Gate::hold);
    if (id == "attack") put(Gate::attack, byStrokes() ? x - look : x + look);
    if (id == "hold") put(Gate::hold, x - kBurstMs);
    if (id == "length") put(Gate::strokeLength, x);
    if (id == "release") put(Gate::release, x - held);
}

void GateEditor::resetHandle(const QString& id) {
    const std::vector<std::pair<const char*, int>> all{
        {"threshold", Gate::threshold}, {"close", Gate::hysteresis}, {"floor", Gate::floor},
        {"attack", Gate::attack},       {"hold", Gate::hold},        {"release", Gate::release},
        {"length", Gate::strokeLength}};
    for (const auto& [name, index] : all) {
        if (id == name) reset(index);
    }
}

void GateEditor::redraw() {
    history_->applyColours();
    const Palette& p = colours();
    const double threshold = value(Gate::threshold), close = threshold - value(Gate::hysteresis);
    state_->setColor(p.chalk);
    state_->setBrush(p.stave);
    state_->setPadding({6, 2, 6, 2});
    if (const StageTrace* t = trace()) {
        through_.resize(t->gainDb.size());
        for (std::size_t i = 0; i < through_.size(); ++i) through_[i] = t->outputPeak[i];
        const double floor = std::min(-12.0, value(Gate::floor) - 3.0);
        history_->setData(&t->keyPeak, &through_, &t->gainDb, secondsPerBlock(), floor);
        history_->showSpan(
            pictureSpan(bench_.workspace.session(), t->inputPeak, secondsPerBlock()));
        drawStrokes(*t);
    } else {
        history_->setData(nullptr, nullptr, nullptr, secondsPerBlock(), -60.0);
        say(tr("Measuring this row …"));
    }
    if (byStrokes()) {
        history_->setHandles({});
        history_->replot(QCustomPlot::rpQueuedReplot);
        if (shape_ != nullptr) drawShape();
        return;
    }
    history_->setHandles(
        {{"threshold",
          tr("opens at %1")
              .arg(QString::fromStdString(formatValue(parameter(Gate::threshold), threshold))),
          Handle::Kind::horizontal, 0.0, threshold, p.ember, false, true},
         {"close",
          tr("closes at %1")
              .arg(QString::fromStdString(formatValue(parameter(Gate::threshold), close))),
          Handle::Kind::horizontal, 0.0, close, p.ember, true, true}});
    history_->replot(QCustomPlot::rpQueuedReplot);
    if (shape_ != nullptr) drawShape();
}

bool GateEditor::byStrokes() const {
    return value(Gate::keySource) >= 0.5;
}

std::vector<double> GateEditor::keyStrokes() const {
    const Session& session = bench_.workspace.session();
    const std::string drum = drumDriving(session, row_, stage());
    std::vector<double> out;
    for (const Stroke& s : session.strokes.get()) {
        if (s.drum == drum) out.push_back(s.time);
    }
    return out;
}

void GateEditor::drawStrokes(const StageTrace& t) {
    const Palette& p = colours();
    QVector<double> openX, openY, shutX, shutY;
    if (byStrokes()) {
        const std::vector<double> strokes = keyStrokes();
        for (const double time : strokes) {
            // The dot sits on the stroke's own peak.
            const auto from = static_cast<std::size_t>(std::max(0.0, time / secondsPerBlock()));
            float peak = 1e-4F;
            for (std::size_t b = from; b < std::min(t.keyPeak.size(), from + 12); ++b)
                peak = std::max(peak, t.keyPeak[b]);
            openX << time;
            openY << dbFromGain(static_cast<double>(peak));
        }
        opened_->setLineStyle(QCPGraph::lsNone);
        opened_->setScatterStyle(
            QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(p.chalk, 1.0), QBrush(p.chalk), 6));
        opened_->setData(openX, openY, true);
        stayed_->data()->clear();
        const QString sentence =
            strokes.empty() ? tr("No strokes are known yet: the kit is being listened to, or this "
                                 "row hears no drum of its own.")
                            : tr("%1 strokes open it, and nothing else does.").arg(strokes.size());
        say(stage().on || strokes.empty() ? sentence
                                          : tr("Off. With these settings: %1").arg(sentence));
        return;
    }
    const auto threshold = static_cast<float>(gainFromDb(value(Gate::threshold)));
    for (const LevelPeak& peak : levelPeaks(t.keyPeak, secondsPerBlock())) {
        const double x = peak.block * secondsPerBlock(),
                     y = dbFromGain(static_cast<double>(peak.level));
        (peak.level >= threshold ? openX : shutX) << x;
        (peak.level >= threshold ? openY : shutY) << y;
    }
    for (QCPGraph* graph : {opened_, stayed_}) {
        graph->setLineStyle(QCPGraph::lsNone);
        graph->setScatterStyle(
            QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(p.chalk, 1.0),
                            graph == opened_ ? QBrush(p.chalk) : QBrush(Qt::NoBrush), 6));
    }
    opened_->setData(openX, openY, true);
    stayed_->setData(shutX, shutY, true);
    double quietest = 0.0, loudest = kSilenceDb;
    for (const double y : openY) quietest = std::min(quietest, y);
    for (const double y : shutY) loudest = std::max(loudest, y);
    QString sentence = tr("%1 of %2 rises in level open it, the rest stay under the threshold.")
                           .arg(openX.size())
                           .arg(openX.size() + shutX.size());
    if (!openY.isEmpty() && !shutY.isEmpty()) {
        sentence +=
            " " + tr("The quietest that opens peaks at %1 dB, the loudest that does not at %2 dB.")
                      .arg(figure(quietest), figure(loudest));
    }
    say(stage().on ? sentence : tr("Off. With these settings: %1").arg(sentence));
}

void GateEditor::drawShape() {
    shape_->applyLook();
    const Palette& p = colours();
    // The real gate, fed one burst: what is drawn is what it does.
    const double rate = bench_.workspace.session().sampleRate;
    std::vector<double> values = stage().values;
    for (const int i : {Gate::keyHighPass, Gate::keyLowPass, Gate::keyListen, Gate::output})
        values[static_cast<std::size_t>(i)] = parameter(i).standard;
    Gate gate({rate, 1}, values);
    gate.reset();
    const bool strokes = byStrokes();
    const double look = strokes ? value(Gate::strokeEarly) : values[Gate::lookAhead],
                 attack = values[Gate::attack],
                 hold = strokes ? values[Gate::strokeLength] - kBurstMs : values[Gate::hold],
                 release = values[Gate::release];
    const double length = kBurstMs + hold + release * 1.15 + look + 20.0, lead = look + 10.0;
    const auto frames = static_cast<int>(framesFromMs(length + lead, rate)),
               start = static_cast<int>(framesFromMs(lead, rate));
    const auto stop = start + static_cast<int>(framesFromMs(kBurstMs, rate));
    const int step = std::max(1, frames / 900);
    QVector<double> x, y, burstX, burstY;
    float signal[kBlock], key[kBlock];
    for (int at = 0; at < frames; at += kBlock) {
        for (int i = 0; i < kBlock; ++i) {
            signal[i] = 1.0F;
            const int n = at + i;
            // An alternating key has the same magnitude all along, and no constant part for filters
            // to remove.
            key[i] = n >= start && n < stop ? (n % 2 == 0 ? 1.0F : -1.0F) : 0.0F;
        }
        AudioBlock io{{signal, nullptr}, 1, kBlock}, k{{key, nullptr}, 1, kBlock};
        BlockEvent strike;
        strike.frame = start + gate.latency() - gate.strokeLead() - at;
        if (byStrokes() && strike.frame >= 0 && strike.frame < kBlock) gate.strike({&strike, 1});
        gate.process(io, k);
        for (int i = 0; i < kBlock; ++i) {
            const int n = at + i - gate.latency();
            if (n < 0 || (n % step != 0 && std::abs(n - start) > 400)) continue;
            x << (n - start) / rate * 1000.0;
            y << std::max(-96.0, dbFromGain(static_cast<double>(signal[i])));
        }
    }
    burstX << 0.0 << kBurstMs;
    burstY << 0.0 << 0.0;
    const double foot = std::min(-12.0, value(Gate::floor) - 4.0);
    curve_->setPen(QPen(p.chalk, 1.8));
    curve_->setData(x, y, true);
    QColor fill = p.wave;
    fill.setAlpha(90);
    burst_->setPen(Qt::NoPen);
    burst_->setBrush(fill);
    QCPGraph* base = burst_;
    base->setData(QVector<double>{0.0, 0.0, kBurstMs, kBurstMs},
                  QVector<double>{foot, 2.0, 2.0, foot}, true);
    shape_->xAxis->setRange(-lead + 4.0, kBurstMs + hold + release * 1.15);
    shape_->yAxis->setRange(foot, 2.0);
    const double held = kBurstMs + hold;
    const auto text = [&](int index) {
        return QString::fromStdString(parameter(index).label + " " +
                                      formatValue(parameter(index), value(index)));
    };
    shape_->setHandles(
        {{"floor", text(Gate::floor), Handle::Kind::horizontal, 0.0, value(Gate::floor), p.ember,
          true, true},
         {"attack", {}, Handle::Kind::vertical, attack - look, 0.0, p.ember, false, true},
         {strokes ? "length" : "hold", text(strokes ? Gate::strokeLength : Gate::hold),
          Handle::Kind::vertical, held, 0.0, p.ember, false, true},
         {"release", text(Gate::release), Handle::Kind::vertical, held + release, 0.0, p.ember,
          false, true}});
    shape_->replot(QCustomPlot::rpQueuedReplot);
}

void GateEditor::tick() {
    if (!alive()) return;
    history_->setPlayhead(bench_.player.position());
    const RowMeter* meter = bench_.player.playing() ? bench_.player.meter(row_) : nullptr;
    const auto index = static_cast<std::size_t>(stageIndex());
    QString text;
    if (meter != nullptr && index < meter->stage.size() && stage().on) {
        const double key = dbFromGain(static_cast<double>(meter->stage[index].keyPeak)),
                     gain = static_cast<double>(meter->stage[index].gainDb);
        text = tr("hears %1 dB · gain %2 dB").arg(figure(key), figure(gain));
    }
    if (text == state_->text()) return;
    state_->setText(text);
    history_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace ember::app
