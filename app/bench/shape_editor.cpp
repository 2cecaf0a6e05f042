#include "app/bench/shape_editor.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "core/base/units.h"
#include "core/dsp/band_dynamics.h"
#include "core/dsp/clipper.h"
#include "core/dsp/saturation.h"
#include "core/measure/kit/kit_mics.h"

#include <QHBoxLayout>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace ember::app {
namespace {

constexpr double kLow = -60.0;
constexpr std::size_t kMainFields = 6;
constexpr double kStrokeMs = 500.0;

bool isBand(const std::string& type) {
    return type == "expander" || type == "de-harsher";
}

// What a processor that bends the wave makes of one value, at rest.
double bent(const Stage& stage, double x) {
    const ParameterTable table = processorType(stage.type).table;
    const auto of = [&](const char* id) {
        return stage.values[static_cast<std::size_t>(parameterIndex(table, id))];
    };
    const double mix = of("mix") / 100.0;
    double y = x;
    if (stage.type == "saturation") {
        const double drive = gainFromDb(of("drive")), bias = 0.6 * of("even") / 100.0;
        const auto curve = static_cast<SaturationCurve>(std::lround(of("curve")));
        y = saturate(curve, drive * x + bias) - saturate(curve, bias);
    } else if (stage.type == "clipper") {
        const double pushed = x * gainFromDb(of("drive"));
        y = pushed + clipLoss(pushed, gainFromDb(of("ceiling")), of("bend") / 100.0);
    } else if (stage.type == "crusher") {
        const double steps = std::exp2(of("bits") - 1.0);
        y = std::round(x * steps) / steps;
    }
    return mix * y + (1.0 - mix) * x;
}

}  // namespace

bool ShapeEditor::edits(const std::string& type) {
    static constexpr std::array<const char*, 9> types{"expander", "stroke",    "de-harsher",
                                                      "limiter",  "transient", "saturation",
                                                      "clipper",  "crusher",   "exciter"};
    return std::any_of(types.begin(), types.end(), [&](const char* t) { return type == t; });
}

ShapeEditor::ShapeEditor(Bench bench, const std::string& row, const std::string& stageId,
                         EditorSize size, QWidget* parent)
    : StageEditor(bench, row, stageId, size, parent) {
    const std::string& type = stage().type;
    kind_ = type == "transient"                 ? Kind::stroke
            : type == "stroke"                  ? Kind::envelope
            : type == "exciter"                 ? Kind::spectrum
            : isBand(type) || type == "limiter" ? Kind::level
                                                : Kind::wave;
    curve_ = new Plot(this);
    curve_->setObjectName("shape-curve");
    curve_->setKeySteps(0.5, 0.5);
    unity_ = curve_->addGraph();
    line_ = curve_->addGraph();
    now_ = curve_->addGraph();
    now_->setLineStyle(QCPGraph::lsNone);
    setupAxes();
    connect(curve_, &Plot::handleMoved, this, &ShapeEditor::drag);
    connect(curve_, &Plot::handleReleased, this, [this] { bench_.workspace.endGesture(); });
    connect(curve_, &Plot::handleReset, this,
            [this](const QString& id) { reset(indexOf(id.toUtf8().constData())); });
    history_ = new HistoryPlot(this);
    history_->setObjectName("shape-history");
    history_->setAccessibleName(tr("Level over time"));
    history_->setToolTip(
        tr("Brown: level in. Ember: level out. Line: the gain as it really happened."));
    history_->yAxis->setRange(-48.0, 6.0);
    auto* side = new QHBoxLayout;
    side->addWidget(curve_, 2);
    side->addWidget(history_, 3);
    plots()->addLayout(side, 3);
    addStroke(false, false, 2);
    const ParameterTable table = processorType(type).table;
    for (std::size_t i = 0; i < table.size(); ++i)
        addField(static_cast<int>(i), {}, i >= kMainFields);
    numbers()->addStretch(1);
    refresh();
}

int ShapeEditor::indexOf(const char* id) const {
    return parameterIndex(processorType(stage().type).table, id);
}

QColor ShapeEditor::lineColour() const {
    return stage().on ? colours().ember : colours().quiet;
}

void ShapeEditor::setupAxes() {
    switch (kind_) {
        case Kind::level:
            curve_->setAccessibleName(tr("Transfer curve"));
            curve_->setToolTip(
                tr("Level in against level out, in the band. Drag the corner for the "
                   "threshold, the end for how far it goes. The dot is what happens "
                   "now."));
            curve_->xAxis->setRange(kLow, 0.0);
            curve_->yAxis->setRange(kLow, 0.0);
            curve_->xAxis->setLabel(tr("in, dBFS"));
            curve_->yAxis->setLabel(tr("out, dBFS"));
            break;
        case Kind::wave:
            curve_->setAccessibleName(tr("Wave in against wave out"));
            curve_->setToolTip(tr("What becomes of the wave. Drag the dot."));
            curve_->setKeySteps(0.02, 0.02);
            curve_->xAxis->setRange(-1.0, 1.0);
            curve_->yAxis->setRange(-1.3, 1.3);
            curve_->xAxis->setLabel(tr("in"));
            curve_->yAxis->setLabel(tr("out"));
            break;
        case Kind::stroke:
            curve_->setAccessibleName(tr("Gain over one stroke"));
            curve_->setToolTip(tr(
                "The gain a stroke gets from its first moment on: the left point raises "
                "the attack, the right one what rings after. Any level of stroke gets the same."));
            curve_->xAxis->setRange(0.0, kStrokeMs);
            curve_->yAxis->setRange(-18.0, 18.0);
            curve_->xAxis->setLabel(tr("milliseconds after the stroke"));
            curve_->yAxis->setLabel(tr("gain, dB"));
            break;
        case Kind::envelope:
            curve_->setAccessibleName(tr("Gain over one stroke"));
            curve_->setToolTip(
                tr("How every stroke comes in, how long it stays whole, and where its fade ends. "
                   "Drag L for the length, F for the fade and its floor."));
            curve_->setKeySteps(5.0, 0.5);
            curve_->yAxis->setRange(-66.0, 6.0);
            curve_->xAxis->setLabel(tr("milliseconds after the stroke"));
            curve_->yAxis->setLabel(tr("gain, dB"));
            break;
        case Kind::spectrum:
            curve_->setAccessibleName(tr("Spectrum before and after"));
            curve_->setToolTip(
                tr("Brown: before. Ember: after. Drag a dot along for its corner, up "
                   "and down for how much is added."));
            curve_->setupFrequencyAxis(-90.0, 0.0);
            break;
    }
}

void ShapeEditor::drag(const QString& id, double x, double y) {
    const std::string& type = stage().type;
    if (kind_ == Kind::level && type == "limiter") return put(indexOf("ceiling"), y);
    if (kind_ == Kind::level) {
        if (id == "threshold") return put(indexOf("threshold"), x);
        const double moved = std::abs(y - x);
        return put(indexOf("range"), moved);
    }
    if (kind_ == Kind::wave) {
        if (type == "saturation")
            return put(indexOf("drive"), -dbFromGain(std::clamp(std::abs(x), 0.01, 1.0)));
        if (type == "clipper")
            return put(indexOf("ceiling"), dbFromGain(std::clamp(std::abs(y), 0.05, 1.0)));
        return put(indexOf("bits"), 1.0 - std::log2(std::clamp(2.0 * std::abs(y), 1e-6, 1.0)));
    }
    if (kind_ == Kind::stroke) return put(indexOf(id.toUtf8().constData()), y);
    if (kind_ == Kind::envelope) {
        if (id == "length") return put(indexOf("length"), x);
        put(indexOf("fade"), x - of("length"));
        return put(indexOf("floor"), y);
    }
    const bool low = id == "lows";
    put(indexOf(low ? "low-corner" : "high-corner"), x);
    put(indexOf(low ? "lows" : "highs"), 100.0 * (y + 90.0) / 90.0);
}

void ShapeEditor::redraw() {
    curve_->applyLook();
    const Palette& p = colours();
    unity_->setPen(QPen(p.quiet, 1.0, Qt::DashLine));
    line_->setPen(QPen(lineColour(), 2.2));
    now_->setScatterStyle(
        QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(p.chalk), QBrush(p.chalk), 9));
    switch (kind_) {
        case Kind::level:
            drawLevel();
            break;
        case Kind::wave:
            drawWave();
            break;
        case Kind::stroke:
            drawStroke();
            break;
        case Kind::envelope:
            drawEnvelope();
            break;
        case Kind::spectrum:
            drawSpectrum();
            break;
    }
    curve_->replot(QCustomPlot::rpQueuedReplot);
    history_->applyColours();
    const StageTrace* t = trace();
    if (t == nullptr) {
        history_->setData(nullptr, nullptr, nullptr, secondsPerBlock(), -24.0);
        return say(tr("Measuring this row …"));
    }
    const bool gains =
        (kind_ != Kind::wave && kind_ != Kind::spectrum) || stage().type == "clipper";
    history_->setData(&t->inputPeak, stage().on ? &t->outputPeak : nullptr,
                      gains ? &t->gainDb : nullptr, secondsPerBlock(),
                      kind_ == Kind::envelope ? std::clamp(of("floor") - 6.0, -66.0, -24.0) : -24.0,
                      kind_ == Kind::stroke || isBand(stage().type) ? 24.0 : 0.0);
    history_->showSpan(pictureSpan(bench_.workspace.session(), t->inputPeak, secondsPerBlock()));
    if (!stage().on) return say(tr("Off: the curve is drawn but not heard."));
    const auto [least, most] = std::minmax_element(t->gainDb.begin(), t->gainDb.end());
    float before = 0.0F, after = 0.0F;
    for (const float v : t->inputPeak) before = std::max(before, v);
    for (const float v : t->outputPeak) after = std::max(after, v);
    const QString peaks = tr("Peak %1 dBFS in, %2 dBFS out.")
                              .arg(figure(dbFromGain(static_cast<double>(before))),
                                   figure(dbFromGain(static_cast<double>(after))));
    const QString note = stage().type == "saturation" && of("match-level") >= 0.5
                             ? tr(" The curve is drawn before the level match.")
                             : QString();
    say(noteText() + (gains ? tr("Gain between %1 and %2 dB. ")
                                      .arg(figure(static_cast<double>(*least)),
                                           figure(static_cast<double>(*most))) +
                                  peaks
                            : peaks + note));
}

// Where tuning puts the drum's note.
QString ShapeEditor::noteText() const {
    if (kind_ != Kind::envelope || of("tune") == 0.0) return {};
    const auto measured = bench_.listener.measured();
    const std::string drum = drumOfRow(bench_.workspace.session(), row_);
    for (const DrumTone& tone : measured ? measured->tone : std::vector<DrumTone>{}) {
        if (tone.drum == drum && tone.fundamental > 0.0)
            return tr("Its note of %1 Hz comes out at %2 Hz. ")
                .arg(figure(tone.fundamental),
                     figure(tone.fundamental * std::exp2(of("tune") / 12.0)));
    }
    return {};
}

void ShapeEditor::drawLevel() {
    QVector<double> x, y;
    if (stage().type == "limiter") {
        const double drive = of("drive"), ceiling = of("ceiling");
        const auto out = [&](double in) { return std::min(in + drive, ceiling) + of("output"); };
        for (double in = kLow; in <= 0.0; in += 0.25) {
            x << in;
            y << out(in);
        }
        curve_->setHandles({{"ceiling", tr("ceiling"), Handle::Kind::horizontal, 0.0, ceiling,
                             lineColour(), false, true}});
    } else {
        const auto mode = static_cast<BandMode>(std::lround(of("mode")));
        const double threshold = of("threshold"), ratio = of("ratio"), range = of("range");
        const auto out = [&](double in) {
            return in + bandCurve(mode, in, threshold, ratio, range);
        };
        for (double in = kLow; in <= 0.0; in += 0.25) {
            x << in;
            y << out(in);
        }
        // The far end of the curve, where the range shows.
        const double end = mode == BandMode::expand ? kLow + 2.0 : -1.0;
        curve_->yAxis->setRange(mode == BandMode::expand ? kLow - 30.0 : kLow,
                                mode == BandMode::raise ? 18.0 : 0.0);
        curve_->setHandles({{"threshold", told(indexOf("threshold")), Handle::Kind::point,
                             threshold, out(threshold), lineColour(), false, true},
                            {"range", told(indexOf("range")), Handle::Kind::point, end, out(end),
                             lineColour(), false, true}});
    }
    unity_->setData(QVector<double>{kLow, 0.0}, QVector<double>{kLow, 0.0}, true);
    line_->setData(x, y, true);
}

void ShapeEditor::drawWave() {
    QVector<double> x, y;
    for (double in = -1.0; in <= 1.0001; in += 0.005) {
        x << in;
        y << bent(stage(), in);
    }
    unity_->setData(QVector<double>{-1.0, 1.0}, QVector<double>{-1.0, 1.0}, true);
    line_->setData(x, y, true);
    QVector<Handle> handles;
    if (stage().type == "saturation") {
        const double at = gainFromDb(-of("drive"));
        handles << Handle{"drive",
                          told(indexOf("drive")),
                          Handle::Kind::point,
                          at,
                          bent(stage(), at),
                          lineColour(),
                          false,
                          true};
    } else if (stage().type == "clipper") {
        handles << Handle{"ceiling",
                          tr("ceiling"),
                          Handle::Kind::horizontal,
                          0.0,
                          gainFromDb(of("ceiling")),
                          lineColour(),
                          false,
                          true};
    } else {
        const double step = std::exp2(1.0 - of("bits")) / 2.0;
        handles << Handle{
            "bits", tr("half a step"), Handle::Kind::horizontal, 0.0, step, lineColour(), false,
            true};
    }
    curve_->setHandles(handles);
}

// The processor itself on a made-up stroke of usual length: no second model of what it does.
void ShapeEditor::drawStroke() {
    constexpr double kRate = 48000.0;
    std::vector<double> values = stage().values;
    values[static_cast<std::size_t>(indexOf("look-ahead"))] = 0.0;
    values[static_cast<std::size_t>(indexOf("from"))] = 20.0;
    values[static_cast<std::size_t>(indexOf("to"))] = 20000.0;
    const auto shaper = processorType("transient").make({kRate, 1}, values);
    const auto quiet = static_cast<int>(0.05 * kRate),
               frames = static_cast<int>(1e-3 * kStrokeMs * kRate);
    QVector<double> x, y;
    float block[kBlock];
    for (int at = -quiet; at < frames; at += kBlock) {
        double in = 1e-12;
        for (int i = 0; i < kBlock; ++i) {
            const double t = (at + i) / kRate;
            block[i] = t < 0.0 ? 0.0F
                               : static_cast<float>(0.5 * std::exp(-t / 0.09) *
                                                    std::cos(2.0 * std::numbers::pi * 220.0 * t));
            in += static_cast<double>(block[i]) * static_cast<double>(block[i]);
        }
        const AudioBlock io{{block, nullptr}, 1, kBlock};
        shaper->process(io, io);
        if (at < 0) continue;
        double out = 1e-12;
        for (const float v : block) out += static_cast<double>(v) * static_cast<double>(v);
        x << 1000.0 * (at + 0.5 * kBlock) / kRate;
        y << 10.0 * std::log10(out / in);
    }
    unity_->setData(QVector<double>{0.0, kStrokeMs}, QVector<double>{0.0, 0.0}, true);
    line_->setData(x, y, true);
    curve_->setHandles({{"attack", told(indexOf("attack")), Handle::Kind::point, 10.0, of("attack"),
                         lineColour(), false, true},
                        {"sustain", told(indexOf("sustain")), Handle::Kind::point, 250.0,
                         of("sustain"), lineColour(), false, true}});
}

// The processor itself, struck once while it hears something steady.
void ShapeEditor::drawEnvelope() {
    constexpr double kRate = 12000.0;
    std::vector<double> values = stage().values;
    const double length = of("length"), end = length + of("fade");
    values[static_cast<std::size_t>(indexOf("tune"))] = 0.0;
    const auto shaper = processorType("stroke").make({kRate, 1}, values);
    const int struck = 64 * kBlock, late = shaper->latency(),
              frames = static_cast<int>(1.25e-3 * end * kRate);
    QVector<double> x, y;
    float block[kBlock];
    for (int at = -struck; at < frames + late; at += kBlock) {
        std::fill_n(block, kBlock, 1.0F);
        if (at == 0) {
            const Strike strike{0, false};
            shaper->strike(std::span(&strike, 1));
        }
        const AudioBlock io{{block, nullptr}, 1, kBlock};
        shaper->process(io, io);
        for (int i = 0; i < kBlock; i += 4) {
            const int frame = at + i - late - shaper->strokeLead();
            if (frame < 0) continue;
            x << 1000.0 * frame / kRate;
            y << dbFromGain(static_cast<double>(std::abs(block[i])));
        }
    }
    curve_->xAxis->setRange(0.0, 1.25 * end);
    unity_->setData(QVector<double>{0.0, 1.25 * end}, QVector<double>{0.0, 0.0}, true);
    line_->setData(x, y, true);
    curve_->setHandles({{"length", told(indexOf("length")), Handle::Kind::point, length, 0.0,
                         lineColour(), false, true},
                        {"fade", told(indexOf("fade")), Handle::Kind::point, end,
                         std::max(-60.0, of("floor")), lineColour(), false, true}});
}

void ShapeEditor::drawSpectrum() {
    const StageTrace* t = trace();
    const auto put2 = [](QCPGraph* graph, const Spectrum& s) {
        graph->setData(QVector<double>(s.frequency.begin(), s.frequency.end()),
                       QVector<double>(s.level.begin(), s.level.end()), true);
    };
    if (t != nullptr) {
        put2(unity_, t->before);
        if (stage().on) put2(line_, t->after);
    }
    unity_->setPen(QPen(colours().wave, 1.6));
    if (!stage().on) line_->data()->clear();
    const auto y = [&](const char* id) { return -90.0 + 0.9 * of(id); };
    curve_->setHandles({{"lows", told(indexOf("lows")), Handle::Kind::point, of("low-corner"),
                         y("lows"), lineColour(), false, true},
                        {"highs", told(indexOf("highs")), Handle::Kind::point, of("high-corner"),
                         y("highs"), lineColour(), false, true}});
}

void ShapeEditor::tick() {
    if (!alive()) return;
    history_->setPlayhead(bench_.player.position());
    if (kind_ != Kind::level) return;
    const RowMeter* meter = bench_.player.playing() ? bench_.player.meter(row_) : nullptr;
    const int index = stageIndex();
    if (meter == nullptr || !stage().on || index >= RowMeter::kStages) {
        if (now_->data()->size() > 0) {
            now_->data()->clear();
            curve_->replot(QCustomPlot::rpQueuedReplot);
        }
        return;
    }
    const double key = dbFromGain(static_cast<double>(meter->stage[index].keyPeak));
    now_->setData(QVector<double>{key},
                  QVector<double>{key + static_cast<double>(meter->stage[index].gainDb)}, true);
    curve_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace ember::app
