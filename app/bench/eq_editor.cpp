#include "app/bench/eq_editor.h"

#include "app/theme/theme.h"
#include "core/base/error.h"
#include "core/dsp/equaliser.h"

#include <QHBoxLayout>
#include <QToolButton>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kCurveDb = 18.0;

std::vector<double> curveFrequencies() {
    std::vector<double> f;
    for (int i = 0; i <= 480; ++i) f.push_back(20.0 * std::pow(1000.0, i / 480.0));
    return f;
}

bool hasGain(EqShape shape) {
    return shape == EqShape::bell || shape == EqShape::lowShelf || shape == EqShape::highShelf ||
           shape == EqShape::tilt;
}
bool hasSlope(EqShape shape) {
    return shape == EqShape::highPass || shape == EqShape::lowPass;
}

}  // namespace

EqEditor::EqEditor(Bench bench, const std::string& row, const std::string& stageId, EditorSize size,
                   QWidget* parent)
    : StageEditor(bench, row, stageId, size, parent) {
    plot_ = new Plot(this);
    plot_->setObjectName("eq-plot");
    plot_->setAccessibleName(tr("Equaliser curve over the spectrum"));
    plot_->setToolTip(
        tr("Brown ground: spectrum before. Thin line: after. Ember: the curve. Dotted, while "
           "playing: this moment of the recording through the curve. Drag the numbered bands; the "
           "wheel over one makes it narrower; a double click on the ground adds a band there."));
    plot_->setupFrequencyAxis(-kCurveDb, kCurveDb);
    plot_->setKeySteps(1.0 / 24.0, 0.25);
    ground_ = plot_->addGraph(plot_->xAxis, plot_->yAxis2);
    before_ = plot_->addGraph(plot_->xAxis, plot_->yAxis2);
    after_ = plot_->addGraph(plot_->xAxis, plot_->yAxis2);
    bandCurve_ = plot_->addGraph();
    curve_ = plot_->addGraph();
    live_ = plot_->addGraph(plot_->xAxis, plot_->yAxis2);
    plot_->yAxis2->setVisible(true);
    plot_->yAxis2->setLabel(tr("spectrum, dB"));
    plot_->installEventFilter(this);
    plots()->addWidget(plot_, 1);
    connect(plot_, &Plot::handleMoved, this, [this](const QString& id, double x, double y) {
        const int band = id.toInt();
        const EqBand b = eqBand(stage().values, band);
        Session next = bench_.workspace.session();
        Stage& s = requireStage(requireRow(next, row_), stage_);
        const auto set = [&](EqField field, double v) {
            const int index = eqIndex(band, field);
            const Parameter& p = parameter(index);
            s.values[static_cast<std::size_t>(index)] = std::clamp(v, p.minimum, p.maximum);
        };
        if (!std::isfinite(x) || !std::isfinite(y)) return;
        set(EqField::frequency, x);
        if (hasGain(b.shape)) set(EqField::gain, y);
        s.on = true;
        s.mark = Mark::decided;
        bench_.workspace.edit(std::move(next), row_ + "/" + stage_ + "/band" + id.toStdString());
    });
    connect(plot_, &Plot::handleReleased, this, [this] { bench_.workspace.endGesture(); });
    connect(plot_, &Plot::handleReset, this,
            [this](const QString& id) { reset(eqIndex(id.toInt(), EqField::gain)); });
    connect(plot_, &Plot::handleChosen, this, [this](const QString& id) {
        if (!id.isEmpty()) chooseBand(id.toInt());
    });
    for (int b = kEqBands - 1; b >= 0; --b) {
        if (eqBand(stage().values, b).on) band_ = b;
    }
    buildNumbers();
    if (!this->row().sources.empty()) {
        try {
            clip_ = bench_.workspace.store().open(this->row().sources[0].file,
                                                  bench_.workspace.session().sampleRate);
        } catch (const Error&) {
            // The player has said which recording is missing; there is no moment to draw.
        }
    }
    refresh();
}

void EqEditor::tick() {
    if (!alive() || clip_ == nullptr) return;
    if (!bench_.player.playing()) {
        if (live_->data()->isEmpty()) return;
        live_->data()->clear();
        plot_->replot(QCustomPlot::rpQueuedReplot);
        return;
    }
    const Source& source = row().sources[0];
    const auto samples = clip_->channel(std::min(source.channel, clip_->channels() - 1));
    const double rate = clip_->sampleRate();
    const auto end = static_cast<std::ptrdiff_t>((bench_.player.position() - source.offset) * rate);
    const std::ptrdiff_t from = end - SpectrumMeter::kLength;
    if (from < 0 || end > static_cast<std::ptrdiff_t>(samples.size())) return;
    SpectrumMeter meter(rate);
    meter.add(samples.subspan(static_cast<std::size_t>(from), SpectrumMeter::kLength));
    const Spectrum now = meter.result();
    std::vector<double> curve(now.frequency.size(), 0.0);
    if (stage().on) curve = eqResponseDb(stage().values, now.frequency, rate);
    QVector<double> x, y;
    for (std::size_t i = 0; i < now.frequency.size(); ++i) {
        x << now.frequency[i];
        y << now.level[i] + curve[i];
    }
    live_->setPen(QPen(colours().chalk, 1.0, Qt::DotLine));
    live_->setData(x, y, true);
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

void EqEditor::buildNumbers() {
    auto* line = new QHBoxLayout;
    line->setSpacing(2);
    buttons_ = new QButtonGroup(this);
    for (int b = 0; b < kEqBands; ++b) {
        auto* button = new QToolButton(this);
        button->setText(QString::number(b + 1));
        button->setCheckable(true);
        button->setAccessibleName(tr("Band %1").arg(b + 1));
        button->setStyleSheet("padding: 2px 0px; min-width: 22px;");
        buttons_->addButton(button, b);
        line->addWidget(button);
    }
    connect(buttons_, &QButtonGroup::idClicked, this, &EqEditor::chooseBand);
    numbers()->addLayout(line);
    bandFields_ = new QWidget(this);
    auto* box = new QVBoxLayout(bandFields_);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    numbers()->addWidget(bandFields_);
    addField(kEqAmount);
    numbers()->addStretch(1);
    chooseBand(band_);
}

void EqEditor::chooseBand(int band) {
    const bool built = !bandRows_.empty();
    if (built && band == band_) return;
    band_ = band;
    buttons_->button(band)->setChecked(true);
    for (ParameterField* field : bandRows_) field->deleteLater();
    bandRows_.clear();
    static const QStringList labels{tr("Band on"), tr("Shape"), tr("Frequency"),
                                    tr("Gain"),    tr("Q"),     tr("Slope, dB/oct")};
    for (int f = 0; f < kEqFields; ++f) {
        auto* field = new ParameterField(bench_.workspace, row_, stage_,
                                         parameter(eqIndex(band, static_cast<EqField>(f))),
                                         labels[f], bandFields_);
        bandFields_->layout()->addWidget(field);
        field->show();
        bandRows_.push_back(field);
    }
    if (built) refresh();
}

void EqEditor::addBandAt(double frequency, double gain) {
    for (const int b : {2, 3, 4, 5, 1, 6, 0, 7}) {
        if (eqBand(stage().values, b).on) continue;
        Session next = bench_.workspace.session();
        Stage& s = requireStage(requireRow(next, row_), stage_);
        const auto set = [&](EqField field, double v) {
            s.values[static_cast<std::size_t>(eqIndex(b, field))] = v;
        };
        set(EqField::on, 1.0);
        set(EqField::shape, static_cast<double>(EqShape::bell));
        set(EqField::frequency, std::clamp(frequency, 20.0, 20000.0));
        set(EqField::gain, std::clamp(gain, -kCurveDb, kCurveDb));
        set(EqField::q, 1.4);
        s.on = true;
        s.mark = Mark::decided;
        bench_.workspace.edit(std::move(next));
        chooseBand(b);
        plot_->choose(QString::number(b));
        return;
    }
    emit bench_.workspace.refused(tr("All eight bands are in use; switch one off first."));
}

bool EqEditor::eventFilter(QObject* object, QEvent* event) {
    if (object != plot_ || !alive()) return StageEditor::eventFilter(object, event);
    if (event->type() == QEvent::Wheel) {
        auto* wheel = static_cast<QWheelEvent*>(event);
        for (const Handle& h : plot_->handles()) {
            const QPointF way = plot_->handlePixel(h.id) - wheel->position();
            if (!h.visible || std::hypot(way.x(), way.y()) > 14.0) continue;
            const int index = eqIndex(h.id.toInt(), EqField::q);
            put(index, value(index) * std::pow(2.0, wheel->angleDelta().y() / 480.0));
            return true;
        }
    }
    if (event->type() == QEvent::MouseButtonDblClick) {
        const QPointF at = static_cast<QMouseEvent*>(event)->position();
        for (const Handle& h : plot_->handles()) {
            const QPointF way = plot_->handlePixel(h.id) - at;
            if (h.visible && std::hypot(way.x(), way.y()) < 12.0) return false;
        }
        if (plot_->axisRect()->rect().contains(at.toPoint())) {
            addBandAt(plot_->xAxis->pixelToCoord(at.x()), plot_->yAxis->pixelToCoord(at.y()));
            return true;
        }
    }
    return StageEditor::eventFilter(object, event);
}

void EqEditor::redraw() {
    plot_->applyLook();
    for (ParameterField* field : bandRows_) field->refresh();
    const EqShape shape = eqBand(stage().values, band_).shape;
    for (ParameterField* field : bandRows_) {
        const QString id = QString::fromStdString(field->parameterId());
        if (id.endsWith(".gain")) field->setEnabled(hasGain(shape));
        if (id.endsWith(".slope")) field->setEnabled(hasSlope(shape));
    }
    drawCurves();
    const Palette& p = colours();
    QVector<Handle> handles;
    int active = 0;
    for (int b = 0; b < kEqBands; ++b) {
        const EqBand band = eqBand(stage().values, b);
        active += band.on ? 1 : 0;
        handles.push_back({QString::number(b), QString::number(b + 1), Handle::Kind::point,
                           band.frequency,
                           hasGain(band.shape) ? std::clamp(band.gainDb, -kCurveDb, kCurveDb) : 0.0,
                           stage().on ? p.ember : p.quiet, false, band.on});
        auto* button = buttons_->button(b);
        QFont font = button->font();
        font.setBold(band.on);
        button->setFont(font);
    }
    plot_->setHandles(handles);
    if (active == 0) {
        say(tr("No band is on yet. A double click on the plot adds one there."));
    } else if (!stage().on) {
        say(tr("Off: the curve is drawn but not heard."));
    } else if (const StageTrace* t = trace(); t != nullptr && !t->before.level.empty()) {
        double most = 0.0, where = 0.0;
        for (std::size_t i = 0; i < std::min(t->before.level.size(), t->after.level.size()); ++i) {
            const double change = t->after.level[i] - t->before.level[i];
            if (std::abs(change) > std::abs(most) && t->before.level[i] > -100.0) {
                most = change;
                where = t->before.frequency[i];
            }
        }
        say(tr("Measured over the song: the largest change is %1%2 dB at %3 Hz.")
                .arg(most < 0 ? QStringLiteral("−") : QStringLiteral("+"))
                .arg(std::abs(most), 0, 'f', 1)
                .arg(where, 0, 'f', 0));
    } else {
        say(tr("Measuring this row …"));
    }
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

void EqEditor::drawCurves() {
    const Palette& p = colours();
    static const std::vector<double> frequencies = curveFrequencies();
    const double rate = bench_.workspace.session().sampleRate;
    const auto toVector = [](const std::vector<double>& v) {
        return QVector<double>(v.begin(), v.end());
    };
    const QVector<double> x = toVector(frequencies);
    curve_->setPen(
        QPen(stage().on ? p.ember : p.quiet, 2.2, stage().on ? Qt::SolidLine : Qt::DashLine));
    curve_->setData(x, toVector(eqResponseDb(stage().values, frequencies, rate)), true);
    // The chosen band alone, as ground under the whole.
    std::vector<double> alone = stage().values;
    for (int b = 0; b < kEqBands; ++b) {
        if (b != band_) alone[static_cast<std::size_t>(eqIndex(b, EqField::on))] = 0.0;
    }
    QColor soft = p.ember;
    soft.setAlpha(45);
    bandCurve_->setPen(Qt::NoPen);
    bandCurve_->setBrush(soft);
    bandCurve_->setData(x, toVector(eqResponseDb(alone, frequencies, rate)), true);
    const StageTrace* t = trace();
    QColor wave = p.wave;
    wave.setAlpha(110);
    ground_->setPen(Qt::NoPen);
    before_->setPen(QPen(p.wave, 1.0));
    before_->setBrush(wave);
    before_->setChannelFillGraph(ground_);
    after_->setPen(QPen(p.chalk, 1.2));
    if (t == nullptr || t->before.level.empty()) {
        before_->data()->clear();
        after_->data()->clear();
        return;
    }
    const double top = *std::max_element(t->before.level.begin(), t->before.level.end());
    const double high = std::ceil((top + 6.0) / 6.0) * 6.0, low = high - 72.0;
    plot_->yAxis2->setRange(low, high);
    ground_->setData(QVector<double>{20.0, 20000.0}, QVector<double>{low - 50.0, low - 50.0}, true);
    before_->setData(toVector(t->before.frequency), toVector(t->before.level), true);
    after_->setVisible(stage().on);
    after_->setData(toVector(t->after.frequency), toVector(t->after.level), true);
}

}  // namespace ember::app
