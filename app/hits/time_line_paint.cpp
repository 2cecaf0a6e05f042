// What the time line looks like: recordings, grid, marks told by shape.

#include "app/hits/time_line.h"
#include "app/theme/theme.h"

#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kClosest = 9.0;  // pixels a bar needs before its beats are drawn

QString timeText(double seconds, double span) {
    const int digits = span < 0.2 ? 4 : (span < 4.0 ? 2 : 0);
    const auto minutes = static_cast<int>(seconds / 60.0);
    return QStringLiteral("%1:%2").arg(minutes).arg(
        seconds - 60.0 * minutes, digits > 0 ? 3 + digits : 2, 'f', digits, QLatin1Char('0'));
}

}  // namespace

void TimeLine::drawGrid(QPainter& painter) const {
    const Session& s = workspace_.session();
    const Palette& p = colours();
    const int first = barAt(s.time, from_), last = barAt(s.time, to_);
    const double pixels = (width() - kHead) / (to_ - from_);
    painter.setFont(face(11));
    // Lines and numbers every one, two, four … bars, as there is room.
    const double aBar = (width() - kHead) / (last - first + 1.0);
    int lines = 1;
    while (aBar * lines < 2.0 * kClosest) lines *= 2;
    int numbers = lines;
    while (aBar * numbers < 46.0) numbers *= 2;
    // One bar's own lines: beats where there is room for them, and sixteenths or the like between.
    const auto within = [&](int bar) {
        const int beats = metreAt(s.time, bar).beats;
        const double beat = (secondsOfBar(s.time, bar + 1) - secondsOfBar(s.time, bar)) / beats;
        const int parts = 0.25 * beat * pixels > 2.0 * kClosest ? 4
                          : beat * pixels > 4.0 * kClosest      ? 1
                                                                : 0;
        for (int k = 1; k < beats * parts; ++k) {
            const double x = xAt(ember::secondsAt(s.time, BarPlace{bar, 1.0 * k / parts}));
            QColor line = p.hoop;
            line.setAlpha(k % parts != 0 ? 90 : 150);
            painter.setPen(line);
            painter.drawLine(QPointF(x, kRuler), QPointF(x, height()));
        }
    };
    for (int bar = first; bar <= last; ++bar) {
        if (bar % lines != 0) continue;
        const double x = xAt(secondsOfBar(s.time, bar));
        if (lines == 1) within(bar);
        painter.setPen(p.hoop);
        painter.drawLine(QPointF(x, 0.0), QPointF(x, height()));
        if (bar % numbers != 0) continue;
        painter.setPen(p.quiet);
        painter.drawText(QRectF(x + 4, 0, 60, kRuler), Qt::AlignVCenter, QString::number(bar + 1));
    }
    painter.setPen(p.quiet);
    painter.drawText(QRectF(0, 0, kHead - 8, kRuler), Qt::AlignVCenter | Qt::AlignRight,
                     timeText(std::max(0.0, from_), to_ - from_));
}

void TimeLine::drawTrack(QPainter& painter, const Track& track, const QRectF& area) const {
    const Palette& p = colours();
    painter.fillRect(QRectF(2.0, area.top() + 1, 4.0, area.height() - 2), hoopColour(track.hue));
    painter.setFont(face(12, QFont::DemiBold));
    painter.setPen(p.chalk);
    const QFontMetrics metrics(painter.font());
    painter.drawText(QRectF(12, area.top(), kHead - 20, area.height()), Qt::AlignVCenter,
                     metrics.elidedText(QString::fromStdString(track.name), Qt::ElideRight,
                                        static_cast<int>(kHead) - 22));
    painter.setPen(p.hoop);
    painter.drawLine(QPointF(0, area.bottom()), QPointF(width(), area.bottom()));
    if (track.parts.empty() || !track.parts.front().first) return;
    // Everything in sight is drawn against the track's own loudest sample: levels are what the
    // Board is for, here strokes must be seen.
    const double half = 0.5 * area.height() - 2.0, middle = area.center().y();
    for (const auto& part : track.parts) {
        const auto& clip = part.first;
        const Source& source = part.second;
        if (!clip) continue;
        const double rate = clip->sampleRate(),
                     scale = half / std::max(1e-4, static_cast<double>(clip->facts().peak));
        const auto frameAt = [&](double x) {
            return static_cast<Frames>(std::floor((secondsAt(x) - source.offset) * rate));
        };
        const double perPixel = (to_ - from_) * rate / std::max(1.0, width() - kHead);
        painter.setPen(QPen(p.wave, 1.0));
        if (perPixel < 2.0) {
            const std::span<const float> samples = clip->channel(source.channel);
            QPainterPath path;
            bool begun = false;
            const Frames last = std::min<Frames>(frameAt(width()) + 2, std::ssize(samples));
            for (Frames i = std::max<Frames>(0, frameAt(kHead) - 1); i < last; ++i) {
                const QPointF at(
                    xAt(static_cast<double>(i) / rate + source.offset),
                    middle - scale * static_cast<double>(samples[static_cast<std::size_t>(i)]));
                begun ? path.lineTo(at) : path.moveTo(at);
                begun = true;
            }
            painter.setRenderHint(QPainter::Antialiasing, true);
            painter.setPen(QPen(p.wave, 1.4));
            painter.drawPath(path);
            painter.setRenderHint(QPainter::Antialiasing, false);
            continue;
        }
        for (int x = static_cast<int>(kHead); x < width(); ++x) {
            const Frames a = std::max<Frames>(0, frameAt(x)),
                         b = std::min(clip->frames(), std::max(frameAt(x + 1), frameAt(x) + 1));
            if (a >= b) continue;
            const WaveBin bin = clip->summary(source.channel, a, b);
            painter.drawLine(QPointF(x, middle - scale * static_cast<double>(bin.high)),
                             QPointF(x, middle - scale * static_cast<double>(bin.low)));
        }
    }
}

void TimeLine::redraw() {
    const double ratio = devicePixelRatioF();
    picture_ = QPixmap(size() * ratio);
    picture_.setDevicePixelRatio(ratio);
    picture_.fill(colours().coal);
    stale_ = false;
    QPainter painter(&picture_);
    drawGrid(painter);
    for (std::size_t i = 0; i < tracks_.size(); ++i) {
        painter.setClipRect(areaOf(i).adjusted(0, 0, 0, 1));
        drawTrack(painter, tracks_[i], areaOf(i));
    }
}

// Kinds by shape: an accent is a tall wedge, a normal stroke a short one, a ghost a ring, a flam a
// pair of strokes; bleed is a dash. Where they stand close, their lines alone remain.
void TimeLine::paintMark(QPainter& painter, const Stroke& s, const QRectF& area,
                         bool chosen) const {
    const Palette& p = colours();
    const double x = xAt(s.time), top = area.top() + 3.0,
                 size = std::clamp(0.22 * area.height(), 5.0, 9.0);
    const QColor colour = chosen ? p.ember : p.chalk;
    QColor line = colour;
    line.setAlpha(chosen ? 255 : 110);
    painter.setPen(QPen(line, chosen ? 2.0 : 1.0));
    painter.drawLine(QPointF(x, top + size), QPointF(x, area.bottom() - 2.0));
    painter.setPen(QPen(colour, 1.4));
    painter.setBrush(Qt::NoBrush);
    const auto wedge = [&](double at, double wide, double tall) {
        QPainterPath path(QPointF(at - wide, top));
        path.lineTo(at + wide, top);
        path.lineTo(at, top + tall);
        path.closeSubpath();
        painter.fillPath(path, colour);
    };
    switch (s.kind) {
        case StrokeKind::accent:
            wedge(x, 0.62 * size, 1.5 * size);
            break;
        case StrokeKind::normal:
            wedge(x, 0.5 * size, 0.8 * size);
            break;
        case StrokeKind::ghost:
            painter.drawEllipse(QPointF(x, top + 0.45 * size), 0.42 * size, 0.42 * size);
            break;
        case StrokeKind::flam:
            painter.drawLine(QPointF(x - 2.5, top), QPointF(x - 2.5, top + 0.8 * size));
            painter.drawLine(QPointF(x + 1.0, top), QPointF(x + 1.0, top + 1.3 * size));
            break;
    }
    if (s.byHand)
        painter.fillRect(QRectF(x - 2.0, area.bottom() - 5.0, 4.0, 4.0),
                         chosen ? p.ember : p.chalk);
}

// On a track of layers, as tall as it was struck hard; full where it starts a layer, hollow where
// the rules of all layers pass it by.
void TimeLine::paintNote(QPainter& painter, const Stroke& s, const Track& track, const QRectF& area,
                         bool chosen) const {
    const Palette& p = colours();
    const double x = xAt(s.time), tall = std::max(3.0, s.velocity * (area.height() - 6.0));
    const QRectF bar(x - 1.5, area.bottom() - 2.0 - tall, 4.0, tall);
    const auto row = started_.find(track.row);
    const bool starts = row != started_.end() && row->second.contains(s.time);
    painter.setRenderHint(QPainter::Antialiasing, false);
    painter.setPen(QPen(chosen ? p.ember : (starts ? p.chalk : p.quiet), 1.0));
    painter.setBrush(starts ? QBrush(chosen ? p.ember : hoopColour(track.hue)) : Qt::NoBrush);
    painter.drawRect(bar);
    // Struck another way: a foot.
    if (s.articulation != 0)
        painter.drawLine(bar.bottomLeft() - QPointF(3, 0), bar.bottomRight() + QPointF(3, 0));
    painter.setRenderHint(QPainter::Antialiasing, true);
    painter.setBrush(Qt::NoBrush);
}

void TimeLine::paintMarks(QPainter& painter) const {
    const auto measured = listener_.measured();
    const Palette& p = colours();
    painter.setRenderHint(QPainter::Antialiasing, true);
    const std::vector<Stroke> there = all();
    for (std::size_t i = 0; i < tracks_.size(); ++i) {
        const QRectF area = areaOf(i);
        painter.setClipRect(area.adjusted(kHead, 0, 0, 0));
        if (filter_.bleed && measured) {
            painter.setPen(QPen(p.slate, 1.6));
            for (const BleedMark& b : measured->strokes.bleed) {
                if (b.mic != tracks_[i].row || b.time < from_ || b.time > to_ ||
                    (!filter_.drum.empty() && filter_.drum != tracks_[i].drum))
                    continue;
                const double x = xAt(b.time);
                painter.drawLine(QPointF(x - 2.5, area.bottom() - 4.0),
                                 QPointF(x + 2.5, area.bottom() - 4.0));
            }
        }
        const bool layers = tracks_[i].parts.empty();
        const auto paint = [&](const Stroke& s, bool chosen) {
            layers ? paintNote(painter, s, tracks_[i], area, chosen)
                   : paintMark(painter, s, area, chosen);
        };
        for (const Stroke& s : there) {
            if (s.time < from_ || s.time > to_ || !filter_.takes(s) || !shownOn(s, tracks_[i]) ||
                (selected_ && sameAs(s)))
                continue;
            paint(s, false);
        }
        if (selected_ && shownOn(*selected_, tracks_[i])) paint(*selected_, true);
    }
    painter.setClipping(false);
    painter.setRenderHint(QPainter::Antialiasing, false);
    if (selected_) {
        QColor line = p.ember;
        line.setAlpha(120);
        painter.setPen(QPen(line, 1.0, Qt::DotLine));
        const double x = xAt(selected_->time);
        if (x > kHead) painter.drawLine(QPointF(x, kRuler), QPointF(x, height()));
    }
}

void TimeLine::paintEvent(QPaintEvent*) {
    if (tracks_.empty() && !workspace_.empty() && !opening_.isRunning()) openRecordings();
    if (stale_ || picture_.isNull()) redraw();
    QPainter painter(this);
    const Palette& p = colours();
    painter.drawPixmap(0, 0, picture_);
    paintMarks(painter);
    const double x = xAt(player_.position());
    if (x > kHead) painter.fillRect(QRectF(x - 1.0, 0, 2, height()), p.chalk);
    if (hasFocus()) {
        painter.setPen(QPen(p.ember, 1.0));
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

}  // namespace ember::app
