#include "app/bench/eq_editor.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "core/advise/eq_fit.h"
#include "core/base/error.h"
#include "core/measure/kit/kit_mics.h"
#include "core/report/low_mids.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>
#include <map>

namespace ember::app {
namespace {

constexpr double kCurveDb = 18.0;

std::vector<double> curveFrequencies() {
    std::vector<double> f;
    for (int i = 0; i <= 480; ++i) f.push_back(20.0 * std::pow(1000.0, i / 480.0));
    return f;
}

bool hasSlope(EqShape shape) {
    return shape == EqShape::highPass || shape == EqShape::lowPass;
}

bool canMove(EqShape shape) {
    return shape == EqShape::bell || shape == EqShape::lowShelf || shape == EqShape::highShelf;
}

constexpr double kTopHertz = 4000.0;  // from here on up a boost lifts cymbals most
constexpr std::size_t kStrokes = 48;  // looked at for a spectrum

}  // namespace

EqEditor::EqEditor(Bench bench, const std::string& row, const std::string& stageId, EditorSize size,
                   QWidget* parent)
    : StageEditor(bench, row, stageId, size, parent) {
    plot_ = new Plot(this);
    plot_->setObjectName("eq-plot");
    plot_->setAccessibleName(tr("Equaliser curve over the spectrum"));
    plot_->setToolTip(
        tr("Brown ground: spectrum of this drum’s strokes before. Thin line: after. Ember: the "
           "curve; dashed: as far as moving bands may go. Dotted, while "
           "playing: this moment of the recording through the curve. Drag a band by its glyph; the "
           "wheel over one makes it narrower; a double click on the ground adds a band there."));
    plot_->setupFrequencyAxis(-kCurveDb, kCurveDb);
    plot_->setKeySteps(1.0 / 24.0, 0.25);
    ground_ = plot_->addGraph(plot_->xAxis, plot_->yAxis2);
    before_ = plot_->addGraph(plot_->xAxis, plot_->yAxis2);
    after_ = plot_->addGraph(plot_->xAxis, plot_->yAxis2);
    bandCurve_ = plot_->addGraph();
    curve_ = plot_->addGraph();
    live_ = plot_->addGraph(plot_->xAxis, plot_->yAxis2);
    far_ = plot_->addGraph();
    plot_->yAxis2->setVisible(true);
    plot_->yAxis2->setLabel(tr("spectrum, dB"));
    plot_->installEventFilter(this);
    plots()->addWidget(plot_, 4);
    addStroke(false, false, 1);
    connect(plot_, &Plot::handleMoved, this, [this](const QString& id, double x, double y) {
        const int band = id.toInt();
        if (!std::isfinite(x) || !std::isfinite(y)) return;
        EqFields fields{{EqField::frequency, x}};
        if (bandHasGain(eqBand(stage().values, band).shape)) fields.emplace_back(EqField::gain, y);
        setBand(band, fields, "band" + id.toStdString());
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
    if (size == EditorSize::full) {
        tools_ = new EqTools(bench_, row_, stage_, this);
        numbers()->insertWidget(3, tools_);
        connect(tools_, &EqTools::bandTaken, this, [this](int band, bool hold) {
            chooseBand(band);
            if (hold) plot_->setFocus();
            plot_->choose(QString::number(band));
        });
    }
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
    line->setSpacing(4);
    auto* title = new QLabel(tr("Bands"), this);
    title->setProperty("quiet", true);
    line->addWidget(title, 1);
    if (size_ == EditorSize::full) {
        ear_ = new QToolButton(this);
        ear_->setObjectName("eq-listen");
        ear_->setText(tr("Listen"));
        ear_->setCheckable(true);
        ear_->setToolTip(
            tr("Plays only what the chosen band works on, as it comes in: a pass filter’s is what "
               "it removes. Frequencies alone always seem louder than they are in the mix."));
        connect(ear_, &QToolButton::clicked, this, &EqEditor::listen);
        line->addWidget(ear_);
    }
    auto* add = new QToolButton(this);
    add->setObjectName("eq-add");
    add->setText(tr("Add"));
    add->setToolTip(tr("Adds a band of a shape; up to sixteen."));
    add->setPopupMode(QToolButton::InstantPopup);
    add->setMenu(new QMenu(add));
    const std::vector<std::pair<EqShape, QString>> shapes{{EqShape::highPass, tr("High-pass")},
                                                          {EqShape::lowShelf, tr("Low shelf")},
                                                          {EqShape::bell, tr("Bell")},
                                                          {EqShape::notch, tr("Notch")},
                                                          {EqShape::highShelf, tr("High shelf")},
                                                          {EqShape::lowPass, tr("Low-pass")},
                                                          {EqShape::tilt, tr("Tilt")},
                                                          {EqShape::weight, tr("Weight")}};
    for (const auto& [shape, name] : shapes)
        connect(add->menu()->addAction(name), &QAction::triggered, this,
                [this, shape = shape] { addShape(shape); });
    line->addWidget(add);
    numbers()->addLayout(line);
    list_ = new BandList(size_ == EditorSize::full ? 7 : 3, this);
    nothing_ = new QLabel(tr("None yet: add one here, or by a double click on the plot."), this);
    addNote(nothing_);
    numbers()->addWidget(list_);
    connect(list_, &BandList::chosen, this, [this](int band) {
        chooseBand(band);
        plot_->choose(QString::number(band));
    });
    connect(list_, &BandList::switched, this, [this](int band, bool on) {
        setBand(band, {{EqField::on, on ? 1.0 : 0.0}});
    });
    connect(list_, &BandList::removed, this, [this](int band) {
        bench_.workspace.edit(withoutEqBand(bench_.workspace.session(), row_, stage_, band));
    });
    connect(list_, &BandList::renamed, this, [this](int band, const QString& name) {
        try {
            bench_.workspace.edit(withWord(bench_.workspace.session(), row_, stage_,
                                           eqBandId(band) + ".name", name.toStdString()));
        } catch (const Error& error) {
            emit bench_.workspace.refused(QString::fromUtf8(error.what()));
            refresh();
        }
    });
    bandFields_ = new QWidget(this);
    auto* box = new QVBoxLayout(bandFields_);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    numbers()->addWidget(bandFields_);
    addField(kEqAmount);
    addField(kEqOutput, {}, true);
    numbers()->addStretch(1);
    buildFields();
}

void EqEditor::buildFields() {
    for (ParameterField* field : bandRows_) field->deleteLater();
    bandRows_.clear();
    static const QStringList labels{tr("On"),     tr("Shape"),    tr("Frequency"),
                                    tr("Gain"),   tr("Q"),        tr("Slope, dB/oct"),
                                    tr("Part"),   tr("Moves by"), tr("Threshold"),
                                    tr("Attack"), tr("Release")};
    for (int f = 1; f < kEqFields; ++f) {
        const auto which = static_cast<EqField>(f);
        // A small editor shows what is moved most; a mono row has no parts.
        if (size_ == EditorSize::compact && (which > EqField::slope || which == EqField::shape))
            continue;
        if (which == EqField::part && channelCount(row()) == 1) continue;
        auto* field = new ParameterField(bench_.workspace, row_, stage_,
                                         parameter(eqIndex(band_, which)), labels[f], bandFields_);
        bandFields_->layout()->addWidget(field);
        field->show();
        bandRows_.push_back(field);
    }
}

void EqEditor::chooseBand(int band) {
    if (band == band_) return;
    band_ = band;
    buildFields();
    refresh();
}

void EqEditor::setBand(int band, const EqFields& fields, const std::string& gesture) {
    bench_.workspace.edit(withEqBand(bench_.workspace.session(), row_, stage_, band, fields),
                          gesture.empty() ? gesture : row_ + "/" + stage_ + "/" + gesture);
}

void EqEditor::addBand(const EqFields& fields) {
    const int b = freeEqBand(stage().values);
    if (b < 0) {
        emit bench_.workspace.refused(tr("All sixteen bands are in use; remove one first."));
        return;
    }
    setBand(b, fields);
    chooseBand(b);
    plot_->choose(QString::number(b));
}

void EqEditor::addShape(EqShape shape) {
    const auto start = [&] {
        switch (shape) {
            case EqShape::highPass:
                return 40.0;
            case EqShape::lowShelf:
            case EqShape::weight:
                return 90.0;
            case EqShape::highShelf:
                return 8000.0;
            case EqShape::lowPass:
                return 16000.0;
            default:
                return 400.0;
        }
    };
    addBand({{EqField::on, 1.0},
             {EqField::shape, static_cast<double>(shape)},
             {EqField::frequency, start()},
             {EqField::gain, 0.0},
             {EqField::q, shape == EqShape::bell || shape == EqShape::notch ? 1.4 : 0.7071}});
}

void EqEditor::listen(bool on) {
    put(kEqListen, on ? band_ + 1.0 : 0.0);
    bench_.workspace.endGesture();
}

std::vector<BandLine> EqEditor::bandLines() const {
    const auto measured = bench_.listener.measured();
    const std::string drum = drumOfRow(bench_.workspace.session(), row_);
    double note = 0.0;
    std::vector<double> rings;
    for (const DrumTone& tone : measured ? measured->tone : std::vector<DrumTone>{}) {
        if (drum.empty() || tone.drum != drum) continue;
        note = tone.fundamental;
        for (const Ring& ring : tone.rings) rings.push_back(ring.hertz);
    }
    std::vector<BandLine> lines;
    for (int b = 0; b < kEqBands; ++b) {
        if (!eqBandInUse(stage().values, b)) continue;
        const auto why = stage().words.find(eqBandId(b) + ".why");
        lines.push_back(
            {b, eqBand(stage().values, b),
             QString::fromStdString(eqBandName(stage(), b, note, rings)),
             why == stage().words.end() ? QString() : QString::fromStdString(why->second)});
    }
    std::stable_sort(lines.begin(), lines.end(), [](const BandLine& a, const BandLine& b) {
        return a.value.frequency < b.value.frequency;
    });
    return lines;
}

void EqEditor::readStrokes() {
    const auto measured = bench_.listener.measured();
    if (measured == read_ || clip_ == nullptr) return;
    read_ = measured;
    own_ = bleed_ = {};
    if (measured == nullptr) return;
    const std::string drum = drumOfRow(bench_.workspace.session(), row_);
    const Source& source = row().sources[0];
    const auto samples = clip_->channel(std::min(source.channel, clip_->channels() - 1));
    const double rate = clip_->sampleRate();
    std::vector<double> own, others;
    for (const Stroke& s : measured->strokes.strokes) {
        if (s.drum == drum) own.push_back(s.time);
    }
    for (const BleedMark& b : measured->strokes.bleed) {
        if (b.mic == row_) others.push_back(b.time);
    }
    const auto read = [&](const std::vector<double>& times) {
        SpectrumMeter meter(rate);
        const std::size_t step = std::max<std::size_t>(1, times.size() / kStrokes);
        bool any = false;
        for (std::size_t i = 0; i < times.size(); i += step) {
            // A window whose flanks are soft: the attack lies well inside.
            const auto at = static_cast<std::ptrdiff_t>((times[i] - 0.05 - source.offset) * rate);
            if (at < 0 || at + SpectrumMeter::kLength > static_cast<std::ptrdiff_t>(samples.size()))
                continue;
            meter.add(samples.subspan(static_cast<std::size_t>(at), SpectrumMeter::kLength));
            any = true;
        }
        return any ? meter.result() : Spectrum{};
    };
    if (!drum.empty()) own_ = read(own);
    bleed_ = read(others);
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
            addBand(eqBell(plot_->xAxis->pixelToCoord(at.x()),
                           std::clamp(plot_->yAxis->pixelToCoord(at.y()), -kCurveDb, kCurveDb),
                           1.4));
            return true;
        }
    }
    return StageEditor::eventFilter(object, event);
}

void EqEditor::redraw() {
    plot_->applyLook();
    readStrokes();
    const std::vector<BandLine> lines = bandLines();
    // What is chosen is a band that is there; the lowest where it went away.
    if (!lines.empty() && !eqBandInUse(stage().values, band_)) {
        band_ = lines.front().band;
        buildFields();
    }
    nothing_->setVisible(lines.empty());
    list_->setVisible(!lines.empty());
    list_->show(lines, band_, stage().on);
    if (ear_ != nullptr) {
        ear_->setEnabled(!lines.empty());
        ear_->setChecked(value(kEqListen) == band_ + 1.0);
    }
    showFields();
    if (tools_ != nullptr)
        tools_->follow(band_, own_.level.empty() && trace() != nullptr ? trace()->before : own_);
    drawCurves();
    drawCandidates();
    const Palette& p = colours();
    QVector<Handle> handles;
    for (const BandLine& line : lines) {
        const EqBand& band = line.value;
        handles.push_back(
            {QString::number(line.band), line.name + ": " + bandFigures(band), Handle::Kind::point,
             band.frequency,
             bandHasGain(band.shape) ? std::clamp(band.gainDb, -kCurveDb, kCurveDb) : 0.0,
             stage().on && band.on ? p.ember : p.quiet, false, true, bandGlyph(band)});
    }
    plot_->setHandles(handles);
    say(whatItDoes());
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

// Only what the shape has.
void EqEditor::showFields() {
    const EqBand chosen = eqBand(stage().values, band_);
    const bool there = eqBandInUse(stage().values, band_), moves = canMove(chosen.shape),
               moving = moves && value(eqIndex(band_, EqField::range)) != 0.0;
    bandFields_->setVisible(there);
    for (ParameterField* field : bandRows_) {
        field->refresh();
        const QString id = QString::fromStdString(field->parameterId());
        if (id.endsWith(".gain")) field->setVisible(bandHasGain(chosen.shape));
        if (id.endsWith(".slope")) field->setVisible(hasSlope(chosen.shape));
        if (id.endsWith(".range")) field->setVisible(moves);
        if (id.endsWith(".threshold") || id.endsWith(".attack") || id.endsWith(".release"))
            field->setVisible(moving);
    }
}

QString EqEditor::whatItDoes() const {
    bool any = false;
    for (int b = 0; b < kEqBands; ++b) any = any || eqBand(stage().values, b).on;
    if (!any) return tr("No band is on yet. A double click on the plot adds one there.");
    if (!stage().on) return tr("Off: the curve is drawn but not heard.");
    const double rate = bench_.workspace.session().sampleRate;
    if (!own_.level.empty()) {
        const std::vector<double> curve = eqResponseDb(stage().values, own_.frequency, rate);
        const double drum = curveGainDb(own_, curve, 20.0);
        QString text = tr("This drum’s strokes: %1 dB.").arg(change(drum));
        const double top = curveGainDb(own_, curve, kTopHertz);
        if (top > 0.5 && !bleed_.level.empty()) {
            const double leaked = curveGainDb(
                bleed_, eqResponseDb(stage().values, bleed_.frequency, rate), kTopHertz);
            text += " " + tr("Above %1 kHz the drum gains %2 dB, what bleeds in %3 dB.")
                              .arg(kTopHertz / 1000.0, 0, 'g', 2)
                              .arg(change(top), change(leaked));
        }
        return text + lowMidsText();
    }
    const StageTrace* t = trace();
    if (t == nullptr || t->before.level.empty()) return tr("Measuring this row …");
    double most = 0.0, where = 0.0;
    for (std::size_t i = 0; i < std::min(t->before.level.size(), t->after.level.size()); ++i) {
        const double change = t->after.level[i] - t->before.level[i];
        if (std::abs(change) > std::abs(most) && t->before.level[i] > -100.0) {
            most = change;
            where = t->before.frequency[i];
        }
    }
    return tr("Measured over the song: the largest change is %1 dB at %2 Hz.")
               .arg(change(most))
               .arg(where, 0, 'f', 0) +
           lowMidsText();
}

QString EqEditor::lowMidsText() const {
    std::map<std::string, std::shared_ptr<const RowTrace>> held;
    const LowMids room =
        lowMids(bench_.workspace.session(), row_, [&](const std::string& id) -> const RowTrace* {
            return (held[id] = bench_.tracer.of(id)).get();
        });
    if (std::abs(room.byAllDb) < 0.05) return {};
    return " " + tr("Low mids of the whole kit: %1 dB by its equalisers, %2 dB by this row’s.")
                     .arg(change(room.byAllDb), change(room.byRowDb));
}

// What was measured of this drum, at the foot of the plot: its note and its rings.
void EqEditor::drawCandidates() {
    for (QCPItemLine* line : marks_) plot_->removeItem(line);
    for (QCPItemText* name : markNames_) plot_->removeItem(name);
    marks_.clear();
    markNames_.clear();
    const auto measured = bench_.listener.measured();
    const std::string drum = drumOfRow(bench_.workspace.session(), row_);
    if (drum.empty()) return;
    const Palette& p = colours();
    const auto mark = [&](double hertz, const QString& name, bool strong) {
        auto* line = new QCPItemLine(plot_);
        line->start->setCoords(hertz, -kCurveDb);
        line->end->setCoords(hertz, strong ? -0.62 * kCurveDb : -0.8 * kCurveDb);
        line->setPen(QPen(p.chalk, strong ? 1.6 : 1.0, strong ? Qt::SolidLine : Qt::DotLine));
        auto* text = new QCPItemText(plot_);
        text->position->setCoords(hertz, strong ? -0.6 * kCurveDb : -0.78 * kCurveDb);
        text->setPositionAlignment(Qt::AlignHCenter | Qt::AlignBottom);
        text->setText(name);
        text->setFont(face(11));
        text->setColor(p.chalk);
        text->setBrush(p.stave);
        text->setPadding({3, 1, 3, 1});
        marks_.push_back(line);
        markNames_.push_back(text);
    };
    if (const double wanted = noteTarget(bench_.workspace.session(), drum); wanted > 0.0)
        mark(wanted, tr("wanted %1").arg(frequencyLabel(wanted)), true);
    for (const DrumTone& tone : measured ? measured->tone : std::vector<DrumTone>{}) {
        if (tone.drum != drum) continue;
        if (tone.fundamental > 0.0)
            mark(tone.fundamental, tr("note %1").arg(frequencyLabel(tone.fundamental)), false);
        for (const Ring& ring : tone.rings)
            mark(ring.hertz,
                 tr("ring %1, %2 %")
                     .arg(frequencyLabel(ring.hertz))
                     .arg(100.0 * ring.share, 0, 'f', 0),
                 true);
    }
}

void EqEditor::drawCurves() {
    const Palette& p = colours();
    static const std::vector<double> frequencies = curveFrequencies();
    const double rate = bench_.workspace.session().sampleRate;
    const auto toVector = [](const std::vector<double>& v) {
        return QVector<double>(v.begin(), v.end());
    };
    const QVector<double> x = toVector(frequencies);
    const QColor line = stage().on ? p.ember : p.quiet;
    curve_->setPen(QPen(line, 2.2, stage().on ? Qt::SolidLine : Qt::DashLine));
    const std::vector<double> rest = eqResponseDb(stage().values, frequencies, rate),
                              far = eqResponseDb(stage().values, frequencies, rate, EqMoved::far);
    curve_->setData(x, toVector(rest), true);
    far_->setPen(QPen(line, 1.4, Qt::DashLine));
    far_->setVisible(far != rest);
    far_->setData(x, toVector(far), true);
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
    const bool strokes = !own_.level.empty();
    if (!strokes && (t == nullptr || t->before.level.empty())) {
        before_->data()->clear();
        after_->data()->clear();
        return;
    }
    const Spectrum& before = strokes ? own_ : t->before;
    Spectrum after = strokes ? own_ : t->after;
    if (strokes) {
        const std::vector<double> curve = eqResponseDb(stage().values, own_.frequency, rate);
        for (std::size_t i = 0; i < curve.size(); ++i) after.level[i] += curve[i];
    }
    const double top = *std::max_element(before.level.begin(), before.level.end());
    const double high = std::ceil((top + 6.0) / 6.0) * 6.0, low = high - 72.0;
    plot_->yAxis2->setRange(low, high);
    ground_->setData(QVector<double>{20.0, 20000.0}, QVector<double>{low - 50.0, low - 50.0}, true);
    before_->setData(toVector(before.frequency), toVector(before.level), true);
    after_->setVisible(stage().on);
    after_->setData(toVector(after.frequency), toVector(after.level), true);
}

}  // namespace ember::app
