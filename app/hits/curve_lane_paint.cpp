// What the lane looks like: grid, curve, points told by shape.

#include "app/hits/curve_lane.h"
#include "app/theme/theme.h"
#include "app/widgets/figures.h"

#include <QPainter>
#include <QPainterPath>

namespace ember::app {

void CurveLane::paintGrid(QPainter& painter) const {
    const TimeMap& time = workspace_.session().time;
    const Palette& p = colours();
    const int first = barAt(time, line_.from()), last = barAt(time, line_.to());
    int lines = 1;
    while ((width() - TimeLine::kHead) / (last - first + 1.0) * lines < 18.0) lines *= 2;
    painter.setPen(p.hoop);
    for (int bar = first; bar <= last; ++bar) {
        const double x = line_.xAt(secondsOfBar(time, bar));
        if (bar % lines == 0 && x >= TimeLine::kHead)
            painter.drawLine(QPointF(x, 0), QPointF(x, height()));
    }
}

void CurveLane::paintCurve(QPainter& painter, const Curve& c, const Parameter& parameter) const {
    const Session& s = workspace_.session();
    const Palette& p = colours();
    const CurveLine along(c, parameter, s.time, 1000.0, line_.to() + 60.0);
    QPainterPath path;
    for (int x = static_cast<int>(TimeLine::kHead); x <= width(); ++x) {
        const QPointF at(x, yOf(along.at(1000.0 * line_.secondsAt(x))));
        x == static_cast<int>(TimeLine::kHead) ? path.moveTo(at) : path.lineTo(at);
    }
    QPen pen(c.on ? p.ember : p.quiet, 2.0);
    if (!c.on) pen.setStyle(Qt::DashLine);
    painter.setPen(pen);
    painter.drawPath(path);
    for (const double begin : beginnings()) {
        for (std::size_t i = 0; i < c.points.size(); ++i)
            paintPoint(painter, placeOf(c.points[i], begin), c.points[i].shape,
                       static_cast<int>(i) == selected_);
    }
}

// By shape how it goes on: a step, a slanted bar, a ring.
void CurveLane::paintPoint(QPainter& painter, const QPointF& at, CurveShape shape,
                           bool chosen) const {
    const Palette& p = colours();
    if (at.x() < TimeLine::kHead) return;
    const double r = chosen ? 6.0 : 4.5;
    painter.setPen(QPen(chosen ? p.ember : p.chalk, 2.0));
    painter.setBrush(p.coal);
    QPainterPath path;
    switch (shape) {
        case CurveShape::hold:
            path.moveTo(at + QPointF(-r, r));
            path.lineTo(at + QPointF(-r, -r));
            path.lineTo(at + QPointF(r, -r));
            path.lineTo(at + QPointF(r, 0.0));
            path.lineTo(at + QPointF(0.0, r));
            path.closeSubpath();
            painter.drawPath(path);
            break;
        case CurveShape::line:
            path.moveTo(at + QPointF(-r, r));
            path.lineTo(at + QPointF(0.0, -r));
            path.lineTo(at + QPointF(r, r));
            path.closeSubpath();
            painter.drawPath(path);
            break;
        case CurveShape::ease:
            painter.drawEllipse(at, r, r);
            break;
    }
    painter.setBrush(Qt::NoBrush);
}

void CurveLane::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Palette& p = colours();
    painter.fillRect(rect(), p.coal);
    const Parameter* what = parameter();
    painter.setFont(face(12));
    if (what == nullptr) {
        painter.setPen(p.quiet);
        painter.drawText(rect().adjusted(12, 0, -12, 0), Qt::AlignCenter,
                         tr("Choose an element and what of it is to move along the song."));
        return;
    }
    paintGrid(painter);
    const QRectF a = area();
    painter.setFont(face(11));
    painter.setPen(p.quiet);
    const QRectF head(8, 0, TimeLine::kHead - 16, height());
    painter.drawText(head, Qt::AlignTop | Qt::AlignRight, told(*what, what->maximum));
    painter.drawText(head, Qt::AlignBottom | Qt::AlignRight, told(*what, what->minimum));
    if (reachesSilence(*what)) {
        for (const double db : {0.0, -10.0, -20.0, -40.0}) {
            painter.setPen(p.hoop);
            painter.drawLine(QPointF(a.left(), yOf(db)), QPointF(a.right(), yOf(db)));
            painter.setPen(p.quiet);
            painter.drawText(QPointF(a.left() + 4, yOf(db) - 2), figure(db, 0));
        }
    }
    const Session& s = workspace_.session();
    const Curve* c = curve();
    const double set = valueUnder(s, *place_);
    painter.setPen(QPen(p.quiet, 1.0, Qt::DotLine));
    painter.drawLine(QPointF(a.left(), yOf(set)), QPointF(a.right(), yOf(set)));
    // What holds at the playhead, in words.
    const double here = c != nullptr && c->on
                            ? CurveLine(*c, *what, s.time, 1000.0, player_.position() + 60.0)
                                  .at(1000.0 * player_.position())
                            : set;
    painter.setFont(face(12, QFont::DemiBold));
    painter.setPen(p.chalk);
    painter.drawText(head, Qt::AlignVCenter | Qt::AlignRight, told(*what, here));
    painter.setClipRect(QRectF(TimeLine::kHead, 0, width() - TimeLine::kHead, height()));
    painter.setRenderHint(QPainter::Antialiasing, true);
    if (c != nullptr) {
        paintCurve(painter, *c, *what);
    } else {
        painter.setFont(face(12));
        painter.setPen(p.quiet);
        painter.drawText(a, Qt::AlignCenter,
                         tr("Nothing moves it. Double-click draws the first point."));
    }
    painter.setRenderHint(QPainter::Antialiasing, false);
    const double x = line_.xAt(player_.position());
    if (x > TimeLine::kHead) painter.fillRect(QRectF(x - 1.0, 0, 2, height()), p.chalk);
    painter.setClipping(false);
    painter.setPen(p.hoop);
    painter.drawLine(QPointF(0, 0), QPointF(width(), 0));
    if (hasFocus()) {
        painter.setPen(QPen(p.ember, 1.0));
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

}  // namespace ember::app
