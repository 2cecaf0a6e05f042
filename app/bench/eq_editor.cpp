#include "app/bench/eq_editor.h"

#include "app/theme/theme.h"
#include "core/base/error.h"
#include "core/measure/kit/kit_mics.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

bool hasSlope(EqShape shape) {
    return shape == EqShape::highPass || shape == EqShape::lowPass;
}

bool canMove(EqShape shape) {
    return shape == EqShape::bell || shape == EqShape::lowShelf || shape == EqShape::highShelf;
}

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

}  // namespace ember::app
