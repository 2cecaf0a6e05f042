#include "app/bench/stage_editor.h"

#include "app/bench/preset_button.h"
#include "app/theme/theme.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/engine/trace.h"
#include "core/session/graph.h"

#include <QApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QMouseEvent>
#include <QScrollArea>
#include <QShortcut>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {

StageEditor::StageEditor(Bench bench, std::string row, std::string stage, EditorSize size,
                         QWidget* parent)
    : QWidget(parent), bench_(bench), row_(std::move(row)), stage_(std::move(stage)), size_(size) {
    setObjectName(QString::fromStdString("editor-" + row_ + "-" + stage_));
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(10, 8, 10, 8);
    outer->setSpacing(6);
    buildHead(outer);
    auto* body = new QHBoxLayout;
    body->setSpacing(12);
    plots_ = new QVBoxLayout;
    plots_->setSpacing(6);
    body->addLayout(plots_, 1);
    auto* side = new QWidget(this);
    side->setFixedWidth(size == EditorSize::full ? 228 : 208);
    numbers_ = new QVBoxLayout(side);
    numbers_->setContentsMargins(0, 0, 0, 0);
    numbers_->setSpacing(size == EditorSize::full ? 6 : 3);
    body->addWidget(side);
    outer->addLayout(body, 1);
    sentence_ = new QLabel(this);
    sentence_->setProperty("quiet", true);
    sentence_->setWordWrap(true);
    outer->addWidget(sentence_);
    if (size == EditorSize::compact) setFixedHeight(272);
}

void StageEditor::buildHead(QVBoxLayout* outer) {
    const ProcessorType& type = processorType(stage().type);
    auto* head = new QHBoxLayout;
    title_ = new QLabel(this);
    title_->setProperty("title", true);
    title_->setToolTip(QString::fromStdString(type.doc));
    head->addWidget(title_);
    head->addStretch(1);
    const bool fixed = type.home == Column::align || type.home == Column::seat;
    if (!fixed) {
        title_->setCursor(Qt::SizeVerCursor);
        title_->setToolTip(QString::fromStdString(type.doc) + "\n" +
                           tr("Drag it up or down among the others, or Alt with Up or Down, to "
                              "change the order."));
        title_->installEventFilter(this);
        for (const int step : {-1, 1}) {
            auto* shortcut = new QShortcut(QKeySequence(step < 0 ? "Alt+Up" : "Alt+Down"), this,
                                           nullptr, nullptr, Qt::WidgetWithChildrenShortcut);
            connect(shortcut, &QShortcut::activated, this,
                    [this, step] { bench_.workspace.moveStage(row_, stage_, step); });
        }
    }
    if (!fixed) {
        for (const int step : {-1, 1}) {
            auto* button = new QPushButton(step < 0 ? tr("Earlier") : tr("Later"), this);
            button->setToolTip(
                step < 0 ? tr("Moves this step before its neighbour in the chain of this row.")
                         : tr("Moves this step after its neighbour in the chain of this row."));
            connect(button, &QPushButton::clicked, this,
                    [this, step] { bench_.workspace.moveStage(row_, stage_, step); });
            if (size_ == EditorSize::full)
                head->addWidget(button);
            else
                button->hide();
        }
    }
    if (type.hasKey && size_ == EditorSize::full) buildKey(head);
    if (trimIndex() >= 0 && size_ == EditorSize::full) {
        keep_ = new QPushButton(tr("Keep level"), this);
        keep_->setObjectName("stage-keep-level");
        keep_->setToolTip(
            tr("Sets the gain at the end so that this step leaves the loudness it was given, as "
               "measured over the loop or the stretch shown."));
        connect(keep_, &QPushButton::clicked, this, &StageEditor::keepLevel);
        connect(&matching_, &QFutureWatcherBase::finished, this, [this] {
            keep_->setEnabled(true);
            if (!alive() || std::isnan(matching_.result())) return;
            put(trimIndex(), std::round(10.0 * (value(trimIndex()) - matching_.result())) / 10.0);
            bench_.workspace.endGesture();
        });
        head->addWidget(keep_);
    }
    if (!fixed && size_ == EditorSize::full) {
        auto* presets = new PresetButton(
            tr("Presets"),
            {QString::fromStdString(type.id), [this] { return std::vector{stage()}; },
             [this](std::vector<Stage> chain) {
                 bench_.workspace.usePreset(row_, stage_, chain.front());
             }},
            this);
        presets->setObjectName("stage-presets");
        presets->setToolTip(tr("Settings of this processor saved before, and saving these."));
        connect(presets, &PresetButton::refused, &bench_.workspace, &Workspace::refused);
        head->addWidget(presets);
        auto* copy = new QPushButton(tr("Duplicate"), this);
        copy->setObjectName("stage-duplicate");
        copy->setToolTip(
            tr("A second one with the same settings behind it: two gentle ones often "
               "do better than one hard one."));
        connect(copy, &QPushButton::clicked, this,
                [this] { bench_.workspace.duplicateStage(row_, stage_); });
        auto* remove = new QPushButton(tr("Remove"), this);
        remove->setObjectName("stage-remove");
        remove->setToolTip(
            tr("Takes this step out of the chain of this row; undo brings it back."));
        connect(remove, &QPushButton::clicked, this,
                [this] { bench_.workspace.removeStage(row_, stage_); });
        head->addWidget(copy);
        head->addWidget(remove);
    }
    on_ = new QCheckBox(tr("On"), this);
    on_->setToolTip(tr("Off passes the sound by this step, without a click and in time."));
    on_->setObjectName("stage-on");
    connect(on_, &QCheckBox::clicked, this,
            [this](bool on) { bench_.workspace.setStageOn(row_, stage_, on); });
    head->addWidget(on_);
    // Level and pan are always there; mute is what silences a row.
    on_->setVisible(type.home != Column::seat && type.home != Column::align);
    outer->addLayout(head);
}

void StageEditor::buildKey(QHBoxLayout* head) {
    key_ = new QComboBox(this);
    key_->setObjectName("stage-key");
    key_->setAccessibleName(tr("Key"));
    key_->setToolTip(
        tr("What the detector hears: this row itself, or another one, muted or not; of a "
           "bus what it is fed, before its chain."));
    key_->addItem(tr("keyed by itself"), QString());
    for (const Row& other : bench_.workspace.session().rows) {
        // A bus that this row comes into would have to wait for itself.
        if (other.kind == RowKind::reference ||
            (hasSources(other.kind) ? other.id == row_
                                    : leadsTo(bench_.workspace.session(), row_, other.id)))
            continue;
        key_->addItem(tr("keyed by %1").arg(QString::fromStdString(other.name)),
                      QString::fromStdString(other.id));
    }
    connect(key_, &QComboBox::activated, this, [this] {
        bench_.workspace.setKey(row_, stage_, key_->currentData().toString().toStdString());
    });
    head->addWidget(key_);
}

StageEditor::~StageEditor() {
    matching_.waitForFinished();
}

int StageEditor::trimIndex() const {
    const ParameterTable table = processorType(stage().type).table;
    const int makeUp = parameterIndex(table, "make-up");
    return makeUp >= 0 ? makeUp : parameterIndex(table, "output");
}

void StageEditor::keepLevel() {
    if (!alive() || matching_.isRunning()) return;
    if (!stage().on) {
        emit bench_.workspace.refused(tr("Switch the step on first: off, it keeps every level."));
        return;
    }
    const Session& session = bench_.workspace.session();
    const StageTrace* t = trace();
    const Span span =
        pictureSpan(session, t != nullptr ? t->inputPeak : std::vector<float>{}, secondsPerBlock());
    keep_->setEnabled(false);
    matching_.setFuture(QtConcurrent::run(
        [session, store = &bench_.workspace.store(), row = row_, index = stageIndex(), span] {
            try {
                return matchGainDb(session, *store, row, stageBit(index), span.from, span.to);
            } catch (const Error&) {
                return std::nan("");  // the player has said which recording is missing
            }
        }));
}

bool StageEditor::eventFilter(QObject* object, QEvent* event) {
    if (object != title_) return QWidget::eventFilter(object, event);
    const auto at = [&] { return static_cast<QMouseEvent*>(event)->globalPosition().toPoint(); };
    switch (event->type()) {
        case QEvent::MouseButtonPress:
            grabbed_ = at();
            dragging_ = false;
            return true;
        case QEvent::MouseMove:
            dragging_ = dragging_ ||
                        (at() - grabbed_).manhattanLength() >= QApplication::startDragDistance();
            if (dragging_) emit dragged(at());
            return true;
        case QEvent::MouseButtonRelease:
            if (std::exchange(dragging_, false)) emit dropped(at());
            return true;
        default:
            return QWidget::eventFilter(object, event);
    }
}

bool StageEditor::alive() const {
    const Row* r = findRow(bench_.workspace.session(), row_);
    return r != nullptr && findStage(*r, stage_) != nullptr;
}

const Row& StageEditor::row() const {
    return *findRow(bench_.workspace.session(), row_);
}
const Stage& StageEditor::stage() const {
    return *findStage(row(), stage_);
}
int StageEditor::stageIndex() const {
    return static_cast<int>(&stage() - row().chain.data());
}
double StageEditor::secondsPerBlock() const {
    return static_cast<double>(kBlock) / bench_.workspace.session().sampleRate;
}
const Parameter& StageEditor::parameter(int index) const {
    return processorType(stage().type).table[static_cast<std::size_t>(index)];
}

QString StageEditor::told(int index) const {
    const Parameter& p = parameter(index);
    return QString::fromStdString(p.label + " " + formatValue(p, value(index)));
}

const StageTrace* StageEditor::trace() const {
    const auto index = static_cast<std::size_t>(stageIndex());
    return held_ && index < held_->stages.size() && held_->blocks > 0 ? &held_->stages[index]
                                                                      : nullptr;
}

void StageEditor::put(int index, double value) {
    const Parameter& p = parameter(index);
    if (!std::isfinite(value)) return;
    bench_.workspace.setValue(row_, stage_, p.id, std::clamp(value, p.minimum, p.maximum),
                              row_ + "/" + stage_ + "/" + p.id);
}

void StageEditor::reset(int index) {
    bench_.workspace.endGesture();
    const Parameter& p = parameter(index);
    bench_.workspace.setValue(row_, stage_, p.id, p.standard);
}

void StageEditor::addField(int index, const QString& label, bool secondary) {
    if (secondary && size_ == EditorSize::compact) return;
    auto* field = new ParameterField(bench_.workspace, row_, stage_, parameter(index), label, this);
    numbers_->addWidget(field);
    fields_.push_back(field);
}

void StageEditor::addNote(QLabel* label) {
    label->setProperty("quiet", true);
    label->setWordWrap(true);
    numbers_->addWidget(label);
}

void StageEditor::addStroke(bool level, bool attacks, int stretch) {
    if (size_ == EditorSize::compact) return;
    strip_ = new StrokeStrip(bench_, row_, stage_, level, attacks, this);
    plots_->addWidget(strip_, stretch);
}

void StageEditor::say(const QString& sentence) {
    sentence_->setText(sentence);
}

void StageEditor::refresh() {
    if (!alive()) return;
    held_ = bench_.tracer.of(row_);
    const std::string& label = processorType(stage().type).label;
    title_->setText(QString::fromStdString(row().name + " · " + label));
    on_->setChecked(stage().on);
    if (key_ != nullptr)
        key_->setCurrentIndex(std::max(0, key_->findData(QString::fromStdString(stage().key))));
    for (ParameterField* field : fields_) field->refresh();
    if (strip_ != nullptr) strip_->follow();
    redraw();
}

Span pictureSpan(const Session& session, const std::vector<float>& peaks, double secondsPerBlock) {
    if (session.loop.on && session.loop.to > session.loop.from)
        return {session.loop.from, session.loop.to};
    const auto twoBars = [&](int bar) {
        const double from = std::max(0.0, secondsOfBar(session.time, bar));
        return Span{from, std::min(from + 8.0, secondsOfBar(session.time, bar + 2))};
    };
    const double length = static_cast<double>(peaks.size()) * secondsPerBlock;
    int bar = barAt(session.time, 0.0);
    if (secondsOfBar(session.time, bar + 1) <= 0.0 || secondsOfBar(session.time, bar) < 0.0) ++bar;
    Span span = twoBars(bar);
    if (length <= span.to - span.from) return {0.0, span.to - span.from};
    // The bars with the largest sum of levels in dB above a floor: much happens, not only one loud
    // stroke.
    double best = -1.0;
    for (Span here = span; here.to < length; here = twoBars(++bar)) {
        double sum = 0.0;
        const auto first = static_cast<std::size_t>(here.from / secondsPerBlock),
                   last = static_cast<std::size_t>(here.to / secondsPerBlock);
        for (std::size_t i = first; i < last && i < peaks.size(); i += 4)
            sum += static_cast<double>(peaks[i]);
        if (sum > best) {
            best = sum;
            span = here;
        }
    }
    return span;
}

HistoryPlot::HistoryPlot(QWidget* parent) : Plot(parent) {
    base_ = addGraph();
    levelGraph_ = addGraph();
    resultGraph_ = addGraph();
    gainGraph_ = addGraph(xAxis, yAxis2);
    playhead_ = new QCPItemLine(this);
    setupTimeAxis(tr("dBFS"), -72.0, 4.0);
    setInteraction(QCP::iRangeDrag, true);
    setInteraction(QCP::iRangeZoom, true);
    axisRect()->setRangeDrag(Qt::Horizontal);
    axisRect()->setRangeZoom(Qt::Horizontal);
    connect(xAxis, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), this, [this] { fill(); });
    applyColours();
}

void HistoryPlot::applyColours() {
    applyLook();
    const Palette& p = colours();
    base_->setPen(Qt::NoPen);
    levelGraph_->setPen(QPen(p.wave, 1.0));
    levelGraph_->setBrush(faded(p.wave, 120));
    levelGraph_->setChannelFillGraph(base_);
    resultGraph_->setPen(QPen(p.ember, 1.0));
    resultGraph_->setBrush(faded(p.ember, 90));
    resultGraph_->setChannelFillGraph(base_);
    gainGraph_->setPen(QPen(p.chalk, 1.6));
    playhead_->setPen(QPen(p.chalk, 1.0, Qt::DotLine));
}

void HistoryPlot::setData(const std::vector<float>* level, const std::vector<float>* result,
                          const std::vector<float>* gainDb, double secondsPerBlock,
                          double gainFloor, double gainTop) {
    level_ = level;
    result_ = result;
    gain_ = gainDb;
    secondsPerBlock_ = secondsPerBlock;
    yAxis2->setVisible(gainDb != nullptr);
    yAxis2->setTickLabels(true);
    yAxis2->setLabel(tr("gain, dB"));
    yAxis2->setRange(gainFloor,
                     std::max(gainTop, -gainFloor / 18.0));  // 0 dB a little under the edge
    fill();
}

void HistoryPlot::showSpan(const Span& span) {
    if (spanShown_) return;
    spanShown_ = true;
    xAxis->setRange(span.from, span.to);
}

void HistoryPlot::fill() {
    const double from = xAxis->range().lower, to = xAxis->range().upper;
    const auto draw = [&](QCPGraph* graph, const std::vector<float>* series, bool decibels,
                          bool lowest) {
        QVector<double> x, y;
        if (series != nullptr && !series->empty()) {
            const auto first = static_cast<std::size_t>(std::max(0.0, from / secondsPerBlock_));
            const auto last = std::min(
                series->size(), static_cast<std::size_t>(std::max(0.0, to / secondsPerBlock_)) + 2);
            const std::size_t step =
                std::max<std::size_t>(1, last > first ? (last - first) / 1400 : 1);
            for (std::size_t i = first; i < last; i += step) {
                float v = (*series)[i];
                for (std::size_t k = i; k < std::min(last, i + step); ++k)
                    v = lowest ? std::min(v, (*series)[k]) : std::max(v, (*series)[k]);
                x << static_cast<double>(i) * secondsPerBlock_;
                y << (decibels ? std::max(kSilenceDb, dbFromGain(static_cast<double>(v)))
                               : static_cast<double>(v));
            }
        }
        graph->setData(x, y, true);
    };
    draw(levelGraph_, level_, true, false);
    draw(resultGraph_, result_, true, false);
    draw(gainGraph_, gain_, false, true);
    base_->setData(QVector<double>{from, to}, QVector<double>{kSilenceDb, kSilenceDb}, true);
    replot(rpQueuedReplot);
}

void HistoryPlot::drawSpan(double to) {
    span_->topLeft->setCoords(spanFrom_, yAxis->range().upper);
    span_->bottomRight->setCoords(to, yAxis->range().lower);
    replot(rpQueuedReplot);
}

void HistoryPlot::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !event->modifiers().testFlag(Qt::ShiftModifier))
        return Plot::mousePressEvent(event);
    QColor ground = colours().ember;
    ground.setAlpha(60);
    span_ = new QCPItemRect(this);
    span_->setPen(Qt::NoPen);
    span_->setBrush(ground);
    spanFrom_ = xAxis->pixelToCoord(event->position().x());
    drawSpan(spanFrom_);
}

void HistoryPlot::mouseMoveEvent(QMouseEvent* event) {
    if (span_ == nullptr) return Plot::mouseMoveEvent(event);
    drawSpan(xAxis->pixelToCoord(event->position().x()));
}

void HistoryPlot::mouseReleaseEvent(QMouseEvent* event) {
    if (span_ == nullptr) return Plot::mouseReleaseEvent(event);
    removeItem(std::exchange(span_, nullptr));
    replot(rpQueuedReplot);
    const double to = xAxis->pixelToCoord(event->position().x());
    if (to != spanFrom_) emit spanDragged(std::min(spanFrom_, to), std::max(spanFrom_, to));
}

void HistoryPlot::setPlayhead(double seconds) {
    if (playhead_->start->coords().x() == seconds) return;
    playhead_->start->setCoords(seconds, yAxis->range().lower);
    playhead_->end->setCoords(seconds, yAxis->range().upper);
    if (xAxis->range().contains(seconds)) replot(rpQueuedReplot);
}

}  // namespace ember::app
