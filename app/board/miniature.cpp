// The pictures in the Board's cells. Everything drawn is this session's own material.

#include "app/bench/align_wave.h"
#include "app/bench/shape_editor.h"
#include "app/board/cell.h"
#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "core/base/error.h"
#include "core/base/units.h"
#include "core/dsp/align.h"
#include "core/dsp/compressor.h"
#include "core/dsp/equaliser.h"
#include "core/dsp/gate.h"
#include "core/dsp/seat.h"
#include "core/session/bleed.h"

#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

struct Frame {
    QRectF area;
    double x(double share) const { return area.left() + area.width() * share; }
    double y(double value, double low, double high) const {
        return area.bottom() - area.height() * std::clamp((value - low) / (high - low), 0.0, 1.0);
    }
};

QString text(const Stage& stage, int index) {
    return QString::fromStdString(
        formatValue(processorType(stage.type).table[static_cast<std::size_t>(index)],
                    stage.values[static_cast<std::size_t>(index)]));
}

void caption(QPainter& painter, const QRectF& area, const QString& words) {
    painter.setFont(face(11));
    const QFontMetricsF metrics(painter.font());
    const QString shown = metrics.elidedText(words, Qt::ElideRight, area.width() - 4.0);
    QRectF box(area.left(), area.bottom() - 14.0, metrics.horizontalAdvance(shown) + 5.0, 14.0);
    painter.setPen(Qt::NoPen);
    painter.setBrush(faded(colours().stave, 215));
    painter.drawRect(box);
    painter.setPen(colours().chalk);
    painter.drawText(box.adjusted(2, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, shown);
}

// One value a pixel over a span of time, the largest or smallest of what falls there.
std::vector<double> bySpan(const std::vector<float>& data, double secondsPerBlock, const Span& span,
                           int pixels, bool lowest) {
    std::vector<double> out(static_cast<std::size_t>(std::max(1, pixels)), lowest ? 0.0 : 0.0);
    const double step = (span.to - span.from) / static_cast<double>(out.size());
    for (std::size_t i = 0; i < out.size(); ++i) {
        const auto first =
            static_cast<std::size_t>((span.from + static_cast<double>(i) * step) / secondsPerBlock);
        const auto last = std::max(
            first + 1, static_cast<std::size_t>((span.from + static_cast<double>(i + 1) * step) /
                                                secondsPerBlock));
        bool any = false;
        for (std::size_t k = first; k < last && k < data.size(); ++k) {
            const auto v = static_cast<double>(data[k]);
            out[i] = any ? (lowest ? std::min(out[i], v) : std::max(out[i], v)) : v;
            any = true;
        }
    }
    return out;
}

void paintLevel(QPainter& painter, const Frame& f, const std::vector<double>& level, double low,
                double high, const QColor& colour) {
    QPainterPath path;
    path.moveTo(f.area.bottomLeft());
    for (std::size_t i = 0; i < level.size(); ++i)
        path.lineTo(f.area.left() + static_cast<double>(i), f.y(dbFromGain(level[i]), low, high));
    path.lineTo(f.area.left() + static_cast<double>(level.size() - 1), f.area.bottom());
    painter.setPen(Qt::NoPen);
    painter.setBrush(colour);
    painter.drawPath(path);
}

void paintGate(QPainter& painter, const QRectF& area, const Session& session, const Stage& stage,
               const StageTrace* t) {
    const Palette& p = colours();
    const Frame f{area};
    if (t != nullptr) {
        const double block = static_cast<double>(kBlock) / session.sampleRate;
        const Span span = pictureSpan(session, t->inputPeak, block);
        const int pixels = static_cast<int>(area.width());
        paintLevel(painter, f, bySpan(t->keyPeak, block, span, pixels, false), -66.0, 0.0,
                   faded(p.wave, 150));
        if (stage.on)
            paintLevel(painter, f, bySpan(t->outputPeak, block, span, pixels, false), -66.0, 0.0,
                       faded(p.ember, 170));
    }
    if (stage.values[Gate::keySource] >= 0.5) {
        caption(painter, area, QObject::tr("strokes"));
        return;
    }
    const double y = f.y(stage.values[Gate::threshold], -66.0, 0.0);
    painter.setPen(QPen(stage.on ? p.chalk : p.quiet, 1.0, stage.on ? Qt::SolidLine : Qt::DotLine));
    painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
    if (stage.on || stage.mark != Mark::untouched)
        caption(painter, area, text(stage, Gate::threshold));
}

// What drums are turned to: bars that hang from a line, or stand on it.
void paintBleed(QPainter& painter, const QRectF& area, const Stage& stage) {
    const Palette& p = colours();
    const Frame f{area};
    const double zero = f.y(0.0, kBleedLowest, kBleedHighest);
    painter.setPen(QPen(p.quiet, 1.0));
    painter.drawLine(QPointF(area.left(), zero), QPointF(area.right(), zero));
    const double width =
        area.width() / std::max<double>(6.0, static_cast<double>(stage.drums.size()));
    double left = area.left();
    for (const auto& [drum, db] : stage.drums) {
        const double y = f.y(db, kBleedLowest, kBleedHighest);
        painter.fillRect(QRectF(left + 1.0, std::min(y, zero), width - 3.0, std::abs(y - zero)),
                         faded(stage.on ? p.ember : p.wave, 190));
        left += width;
    }
    const auto turned = static_cast<int>(stage.drums.size());
    if (turned > 0)
        caption(painter, area,
                turned == 1 ? QObject::tr("1 drum") : QObject::tr("%1 drums").arg(turned));
}

void paintEq(QPainter& painter, const QRectF& area, const Session& session, const Stage& stage,
             const StageTrace* t) {
    const Palette& p = colours();
    const Frame f{area};
    const auto share = [](double frequency) {
        return std::log(frequency / 20.0) / std::log(1000.0);
    };
    if (t != nullptr && !t->before.level.empty()) {
        const double top = *std::max_element(t->before.level.begin(), t->before.level.end()) + 3.0;
        QPainterPath path;
        path.moveTo(area.bottomLeft());
        for (std::size_t i = 0; i < t->before.frequency.size(); ++i)
            path.lineTo(f.x(share(t->before.frequency[i])),
                        f.y(t->before.level[i], top - 66.0, top));
        path.lineTo(area.bottomRight());
        painter.setPen(Qt::NoPen);
        painter.setBrush(faded(p.wave, 140));
        painter.drawPath(path);
    }
    int bands = 0;
    for (int b = 0; b < kEqBands; ++b) bands += eqBand(stage.values, b).on ? 1 : 0;
    if (bands == 0) return;
    std::vector<double> frequencies;
    for (double x = 0.0; x <= area.width(); x += 2.0)
        frequencies.push_back(20.0 * std::pow(1000.0, x / area.width()));
    const std::vector<double> curve = eqResponseDb(stage.values, frequencies, session.sampleRate);
    QPainterPath line;
    for (std::size_t i = 0; i < curve.size(); ++i) {
        const QPointF at(f.x(share(frequencies[i])), f.y(curve[i], -18.0, 18.0));
        i == 0 ? line.moveTo(at) : line.lineTo(at);
    }
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(stage.on ? p.ember : p.quiet, 1.8, stage.on ? Qt::SolidLine : Qt::DotLine));
    painter.drawPath(line);
    caption(painter, area, bands == 1 ? QObject::tr("1 band") : QObject::tr("%1 bands").arg(bands));
}

void paintDynamics(QPainter& painter, const QRectF& area, const Session& session,
                   const Stage& stage, const StageTrace* t) {
    const Palette& p = colours();
    const double side = area.height();
    const Frame curve{QRectF(area.left(), area.top(), side, side)};
    const Frame history{
        QRectF(area.left() + side + 6.0, area.top(), area.width() - side - 6.0, side)};
    painter.setPen(QPen(p.hoop, 1.0));
    painter.setBrush(Qt::NoBrush);
    painter.drawLine(curve.area.bottomLeft(), curve.area.topRight());
    QPainterPath line;
    for (double in = -54.0; in <= 0.0; in += 1.0) {
        const double out =
            in + compressorCurve(in, stage.values[Compressor::threshold],
                                 stage.values[Compressor::ratio], stage.values[Compressor::knee],
                                 stage.values[Compressor::range]);
        const QPointF at(curve.x((in + 54.0) / 54.0), curve.y(out, -54.0, 0.0));
        in == -54.0 ? line.moveTo(at) : line.lineTo(at);
    }
    painter.setPen(QPen(stage.on ? p.ember : p.quiet, 1.8, stage.on ? Qt::SolidLine : Qt::DotLine));
    painter.drawPath(line);
    if (t == nullptr || history.area.width() < 12.0) return;
    const double block = static_cast<double>(kBlock) / session.sampleRate;
    const Span span = pictureSpan(session, t->inputPeak, block);
    const int pixels = static_cast<int>(history.area.width());
    paintLevel(painter, history, bySpan(t->inputPeak, block, span, pixels, false), -48.0, 0.0,
               faded(p.wave, 140));
    if (!stage.on) return;
    const std::vector<double> gain = bySpan(t->gainDb, block, span, pixels, true);
    QPainterPath hanging;
    hanging.moveTo(history.area.topLeft());
    double deepest = 0.0;
    for (std::size_t i = 0; i < gain.size(); ++i) {
        hanging.lineTo(history.area.left() + static_cast<double>(i),
                       history.y(gain[i], -18.0, 0.0));
        deepest = std::min(deepest, gain[i]);
    }
    hanging.lineTo(history.area.topRight());
    painter.setPen(Qt::NoPen);
    painter.setBrush(faded(p.ember, 200));
    painter.drawPath(hanging);
    caption(painter, history.area, QObject::tr("−%1 dB").arg(figure(-deepest, 1)));
}

// Level in and out over time; what a stage of any other kind did.
void paintLevels(QPainter& painter, const QRectF& area, const Session& session, const Stage& stage,
                 const StageTrace* t) {
    const Palette& p = colours();
    if (t != nullptr) {
        const double block = static_cast<double>(kBlock) / session.sampleRate;
        const Span span = pictureSpan(session, t->inputPeak, block);
        const int pixels = static_cast<int>(area.width());
        const Frame f{area};
        paintLevel(painter, f, bySpan(t->inputPeak, block, span, pixels, false), -54.0, 0.0,
                   faded(p.wave, 150));
        if (stage.on)
            paintLevel(painter, f, bySpan(t->outputPeak, block, span, pixels, false), -54.0, 0.0,
                       faded(p.ember, 150));
    }
    if (stage.on || stage.mark != Mark::untouched)
        caption(painter, area, QString::fromStdString(processorType(stage.type).label).toLower());
}

void paintSeat(QPainter& painter, const QRectF& area, const Row& row, const Stage& stage) {
    const Palette& p = colours();
    const double middle = area.center().x(), wide = area.width() / 2.0 - 4.0,
                 y = area.top() + area.height() * 0.36;
    painter.setPen(QPen(p.hoop, 2.0));
    painter.drawLine(QPointF(middle - wide, y), QPointF(middle + wide, y));
    painter.drawLine(QPointF(middle, y - 5.0), QPointF(middle, y + 5.0));
    const double pan = stage.values[Seat::pan] / 100.0, at = middle + pan * wide;
    if (channelCount(row) == 2) {
        const double half = stage.values[Seat::width] / 200.0 * wide * (1.0 - 0.5 * std::abs(pan));
        painter.setPen(QPen(p.ember, 4.0, Qt::SolidLine, Qt::FlatCap));
        painter.drawLine(QPointF(std::max(middle - wide, at - half), y),
                         QPointF(std::min(middle + wide, at + half), y));
    }
    painter.setPen(Qt::NoPen);
    painter.setBrush(p.ember);
    painter.drawEllipse(QPointF(at, y), 4.5, 4.5);
    caption(painter, area, text(stage, Seat::level));
}

void paintAlign(QPainter& painter, const QRectF& area, Workspace& workspace, const Row& row,
                const Stage& stage) {
    const Palette& p = colours();
    const Session& session = workspace.session();
    const Row* reference = alignReference(session, row);
    try {
        const auto clip = workspace.store().open(row.sources[0].file, session.sampleRate);
        const Frames stroke = loudestStroke(*clip, row).frame;
        if (stroke < 0) return;
        const double rate = clip->sampleRate();
        const auto lead = static_cast<Frames>(0.003 * rate);
        const auto frames = static_cast<int>(0.012 * rate);
        const auto draw = [&](const std::vector<double>& wave, const QColor& colour, double thick) {
            double peak = 1e-9;
            for (const double v : wave) peak = std::max(peak, std::abs(v));
            QPainterPath path;
            const Frame f{area};
            for (std::size_t i = 0; i < wave.size(); ++i) {
                const QPointF at(f.x(static_cast<double>(i) / static_cast<double>(wave.size() - 1)),
                                 f.y(wave[i] / peak, -1.1, 1.1));
                i == 0 ? path.moveTo(at) : path.lineTo(at);
            }
            painter.setBrush(Qt::NoBrush);
            painter.setPen(QPen(colour, thick));
            painter.drawPath(path);
        };
        if (reference != nullptr) {
            const auto other =
                workspace.store().open(reference->sources[0].file, session.sampleRate);
            draw(alignedWave(*other, *reference, stroke - lead, frames), p.slate, 1.0);
        }
        draw(alignedWave(*clip, row, stroke - lead, frames), p.chalk, 1.3);
    } catch (const Error&) {
        return;  // the state says that the recording is missing
    }
    QStringList words;
    if (stage.values[Align::polarity] >= 0.5) words << QObject::tr("inverted");
    if (stage.values[Align::delay] != 0.0) words << text(stage, Align::delay);
    if (stage.values[Align::trim] != 0.0) words << text(stage, Align::trim);
    if (!words.isEmpty()) caption(painter, area, words.join(", "));
}

}  // namespace

void paintLayers(QPainter& painter, const QRectF& area, Workspace& workspace, const Row& row) {
    constexpr double kCaption = 13.0, kSeconds = 0.15;
    const Palette& p = colours();
    painter.save();
    std::size_t on = 0;
    const double lane = (area.height() - kCaption) / static_cast<double>(row.layers.size());
    for (std::size_t i = 0; i < row.layers.size(); ++i) {
        const Layer& layer = row.layers[i];
        on += layer.is(Layer::on) ? 1 : 0;
        const double middle = area.top() + lane * (static_cast<double>(i) + 0.5);
        painter.setPen(QPen(layer.is(Layer::on) ? hoopColour(static_cast<int>(i)) : p.hoop, 1.0));
        try {
            const auto clip =
                workspace.store().open(layer.sounds.front().file, workspace.session().sampleRate);
            const double perPixel = kSeconds * clip->sampleRate() / area.width();
            const double scale =
                0.48 * lane / std::max(1e-4, static_cast<double>(clip->facts().peak));
            const auto from =
                static_cast<Frames>(framesFromMs(layer.at(Layer::start), clip->sampleRate()));
            for (int x = 0; x < static_cast<int>(area.width()); ++x) {
                const auto a = std::min(clip->frames(), from + static_cast<Frames>(x * perPixel)),
                           b = std::min(clip->frames(),
                                        from + static_cast<Frames>((x + 1) * perPixel));
                if (a >= b) break;
                const WaveBin bin = clip->summary(0, a, b);
                const double at = area.left() + x;
                painter.drawLine(QPointF(at, middle - scale * static_cast<double>(bin.high)),
                                 QPointF(at, middle - scale * static_cast<double>(bin.low)));
            }
        } catch (const Error&) {
            continue;  // the state says that a sound is missing
        }
    }
    caption(painter, area, on == 1 ? QObject::tr("1 layer") : QObject::tr("%1 layers").arg(on));
    painter.restore();
}

void paintMiniature(QPainter& painter, const QRectF& area, Workspace& workspace, const Row& row,
                    const Stage& stage, const RowTrace* trace) {
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    const auto index = static_cast<std::size_t>(&stage - row.chain.data());
    const StageTrace* t = trace != nullptr && index < trace->stages.size() && trace->blocks > 0
                              ? &trace->stages[index]
                              : nullptr;
    const Session& session = workspace.session();
    if (stage.type == "bleed") paintBleed(painter, area, stage);
    if (stage.type == "gate") paintGate(painter, area, session, stage, t);
    if (stage.type == "eq") paintEq(painter, area, session, stage, t);
    if (stage.type == "compressor") paintDynamics(painter, area, session, stage, t);
    if (stage.type == "seat") paintSeat(painter, area, row, stage);
    if (ShapeEditor::edits(stage.type)) paintLevels(painter, area, session, stage, t);
    // Opening a recording that was never decoded would hold up the window; once the row is measured
    // it is.
    if (stage.type == "align" && trace != nullptr && playsRecordings(row))
        paintAlign(painter, area, workspace, row, stage);
    painter.restore();
}

}  // namespace ember::app
