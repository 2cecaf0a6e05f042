#include "app/bench/plot.h"

#include "app/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace ember::app {

QString frequencyLabel(double hertz) {
    return hertz >= 1000.0 ? QString::number(hertz / 1000.0, 'g', 3) + "k"
                           : QString::number(hertz, 'g', 3);
}

Plot::Plot(QWidget* parent) : QCustomPlot(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setMinimumSize(160, 110);
    axisRect()->setMinimumMargins({6, 6, 8, 6});
    applyLook();
}

void Plot::applyLook() {
    const Palette& p = colours();
    setBackground(p.stave);
    for (QCPAxis* axis : {xAxis, yAxis, xAxis2, yAxis2}) {
        axis->setBasePen(QPen(p.hoop));
        axis->setTickPen(QPen(p.hoop));
        axis->setSubTickPen(Qt::NoPen);
        axis->setTickLabelColor(p.quiet);
        axis->setLabelColor(p.quiet);
        axis->setTickLabelFont(face(11));
        axis->setLabelFont(face(11));
        axis->grid()->setPen(QPen(p.hoop, 0.6));
        axis->grid()->setSubGridVisible(false);
        axis->grid()->setZeroLinePen(QPen(p.hoop, 1.2));
        axis->setLabelPadding(3);
    }
}

void Plot::setupFrequencyAxis(double lowDb, double highDb) {
    xAxis->setScaleType(QCPAxis::stLogarithmic);
    setFrequencyTicks();
    xAxis->setRange(20.0, 20000.0);
    xAxis->setLabel(tr("Hz"));
    yAxis->setRange(lowDb, highDb);
    yAxis->setLabel(tr("dB"));
}

// As many as there is room for.
void Plot::setFrequencyTicks() {
    const bool wide = width() > 420;
    const QSharedPointer<QCPAxisTickerText> ticks(new QCPAxisTickerText);
    for (const double f :
         {20.0, 50.0, 100.0, 200.0, 500.0, 1000.0, 2000.0, 5000.0, 10000.0, 20000.0}) {
        const bool first = f == 20.0 || f == 100.0 || f == 500.0 || f == 2000.0 || f == 10000.0;
        if (wide || first) ticks->addTick(f, frequencyLabel(f));
    }
    xAxis->setTicker(ticks);
}

void Plot::resizeEvent(QResizeEvent* event) {
    QCustomPlot::resizeEvent(event);
    if (xAxis->scaleType() == QCPAxis::stLogarithmic) setFrequencyTicks();
}

void Plot::setupTimeAxis(const QString& leftLabel, double low, double high) {
    yAxis->setRange(low, high);
    yAxis->setLabel(leftLabel);
    xAxis->setLabel(tr("seconds"));
}

void Plot::setupPanAxis() {
    xAxis->setRange(-110.0, 110.0);
    const QSharedPointer<QCPAxisTickerText> ticks(new QCPAxisTickerText);
    ticks->addTick(-100.0, tr("left"));
    ticks->addTick(-50.0, "50");
    ticks->addTick(0.0, tr("middle"));
    ticks->addTick(50.0, "50");
    ticks->addTick(100.0, tr("right"));
    xAxis->setTicker(ticks);
}

void Plot::setHandles(const QVector<Handle>& handles) {
    handles_ = handles;
    if (indexOf(chosen_) < 0) chosen_.clear();
    if (const int index = indexOf(chosen_); index >= 0)
        setAccessibleDescription(handles_[index].label);
    update();
}

int Plot::indexOf(const QString& id) const {
    for (int i = 0; i < handles_.size(); ++i) {
        if (handles_[i].id == id) return i;
    }
    return -1;
}

QPointF Plot::pixelOf(const Handle& h) const {
    const QRect area = axisRect()->rect();
    const double x =
        h.kind == Handle::Kind::horizontal ? area.right() - 8.0 : xAxis->coordToPixel(h.x);
    const double y = h.kind == Handle::Kind::vertical ? area.top() + 8.0 : yAxis->coordToPixel(h.y);
    return {x, y};
}

QPointF Plot::handlePixel(const QString& id) const {
    const int index = indexOf(id);
    return index < 0 ? QPointF() : pixelOf(handles_[index]);
}

int Plot::handleAt(const QPointF& pixel) const {
    int best = -1;
    double nearest = 9.0;
    const QRect area = axisRect()->rect().adjusted(-2, -8, 2, 8);
    if (!area.contains(pixel.toPoint())) return -1;
    for (int i = 0; i < handles_.size(); ++i) {
        if (!handles_[i].visible) continue;
        const QPointF at = pixelOf(handles_[i]);
        double d = std::hypot(at.x() - pixel.x(), at.y() - pixel.y());
        if (handles_[i].kind == Handle::Kind::horizontal) d = std::abs(at.y() - pixel.y());
        if (handles_[i].kind == Handle::Kind::vertical) d = std::abs(at.x() - pixel.x());
        // A point lies on top of lines.
        if (handles_[i].kind == Handle::Kind::point) d *= 0.6;
        if (d <= nearest) {
            nearest = d;
            best = i;
        }
    }
    return best;
}

void Plot::setKeySteps(double x, double y) {
    stepX_ = x;
    stepY_ = y;
}

void Plot::choose(const QString& id) {
    if (chosen_ == id) return;
    chosen_ = id;
    const int index = indexOf(id);
    setAccessibleDescription(index < 0 ? QString() : handles_[index].label);
    emit handleChosen(id);
    update();
}

void Plot::mousePressEvent(QMouseEvent* event) {
    setFocus(Qt::MouseFocusReason);
    const int index = event->button() == Qt::LeftButton ? handleAt(event->position()) : -1;
    if (index < 0) {
        QCustomPlot::mousePressEvent(event);
        return;
    }
    dragged_ = handles_[index].id;
    grab_ = pixelOf(handles_[index]) - event->position();
    choose(dragged_);
}

void Plot::mouseMoveEvent(QMouseEvent* event) {
    if (dragged_.isEmpty()) {
        const int index = handleAt(event->position());
        const QString pointed = index < 0 ? QString() : handles_[index].id;
        if (pointed != std::exchange(pointed_, pointed)) update();
        if (index < 0) {
            unsetCursor();
        } else {
            const auto kind = handles_[index].kind;
            setCursor(
                kind == Handle::Kind::horizontal
                    ? Qt::SizeVerCursor
                    : (kind == Handle::Kind::vertical ? Qt::SizeHorCursor : Qt::SizeAllCursor));
        }
        QCustomPlot::mouseMoveEvent(event);
        return;
    }
    const QPointF to = event->position() + grab_;
    emit handleMoved(QString(dragged_), xAxis->pixelToCoord(to.x()), yAxis->pixelToCoord(to.y()));
}

void Plot::mouseReleaseEvent(QMouseEvent* event) {
    if (dragged_.isEmpty()) {
        QCustomPlot::mouseReleaseEvent(event);
        return;
    }
    const QString id = std::exchange(dragged_, QString());
    emit handleReleased(id);
}

void Plot::mouseDoubleClickEvent(QMouseEvent* event) {
    const int index = handleAt(event->position());
    if (index >= 0) {
        dragged_.clear();
        const QString id = handles_[index].id;
        emit handleReset(id);
        return;
    }
    QCustomPlot::mouseDoubleClickEvent(event);
}

bool Plot::focusNextPrevChild(bool next) {
    // Tab walks the handles before it leaves the plot.
    QVector<int> seen;
    for (int i = 0; i < handles_.size(); ++i) {
        if (handles_[i].visible) seen << i;
    }
    const auto place = seen.indexOf(indexOf(chosen_)) + (next ? 1 : -1);
    if (hasFocus() && !seen.isEmpty() && place >= 0 && place < seen.size() &&
        (next || indexOf(chosen_) >= 0)) {
        choose(QString(handles_[seen[place]].id));
        return true;
    }
    choose({});
    return QCustomPlot::focusNextPrevChild(next);
}

void Plot::keyPressEvent(QKeyEvent* event) {
    const int index = indexOf(chosen_);
    const double fine = event->modifiers().testFlag(Qt::ShiftModifier) ? 0.1 : 1.0;
    double right = 0.0, up = 0.0;
    switch (event->key()) {
        case Qt::Key_Left:
            right = -fine;
            break;
        case Qt::Key_Right:
            right = fine;
            break;
        case Qt::Key_Up:
            up = fine;
            break;
        case Qt::Key_Down:
            up = -fine;
            break;
        case Qt::Key_Delete:
            if (index >= 0) {
                emit handleReset(QString(chosen_));
                return;
            }
            break;
        default:
            break;
    }
    if (index < 0 || (right == 0.0 && up == 0.0)) {
        QCustomPlot::keyPressEvent(event);
        return;
    }
    // A copy: whoever hears of the move sets the handles anew.
    const Handle h = handles_[index];
    // On a logarithmic axis a step is a ratio.
    const double x = xAxis->scaleType() == QCPAxis::stLogarithmic
                         ? h.x * std::pow(2.0, right * stepX_)
                         : h.x + right * stepX_;
    emit handleMoved(h.id, x, h.y + up * stepY_);
    emit handleReleased(h.id);
}

void Plot::leaveEvent(QEvent* event) {
    if (!pointed_.isEmpty()) {
        pointed_.clear();
        update();
    }
    QCustomPlot::leaveEvent(event);
}

void Plot::paintPoint(QPainter& painter, const Handle& h) const {
    const Palette& p = colours();
    const QPointF at = pixelOf(h);
    const bool chosen = h.id == chosen_;
    if (h.glyph.isEmpty()) {
        painter.setPen(QPen(chosen ? p.chalk : p.stave, chosen ? 2.0 : 1.0));
        painter.setBrush(h.colour);
        painter.drawEllipse(at, chosen ? 7.0 : 6.0, chosen ? 7.0 : 6.0);
        return;
    }
    const QPainterPath glyph = h.glyph.translated(at);
    painter.setBrush(Qt::NoBrush);
    // Ground around it, so that it stands out from the curve it lies on.
    painter.setPen(QPen(p.stave, 9.0, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    painter.drawPath(glyph);
    if (chosen) {
        painter.setPen(QPen(p.chalk, 6.0, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
        painter.drawPath(glyph);
    }
    painter.setPen(QPen(h.colour, 3.0, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    painter.drawPath(glyph);
}

void Plot::paintTag(QPainter& painter, QRectF tag, const QString& text) const {
    QColor back = colours().stave;
    back.setAlpha(230);
    painter.setPen(Qt::NoPen);
    painter.setBrush(back);
    painter.drawRoundedRect(tag, 3, 3);
    painter.setPen(colours().chalk);
    painter.drawText(tag, Qt::AlignCenter, text);
}

void Plot::paintEvent(QPaintEvent* event) {
    QCustomPlot::paintEvent(event);
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setFont(face(11));
    const QRectF area = axisRect()->rect();
    const Palette& p = colours();
    for (const Handle& h : handles_) {
        if (!h.visible) continue;
        const QPointF at = pixelOf(h);
        if (h.kind == Handle::Kind::point) {
            paintPoint(painter, h);
            continue;
        }
        const bool chosen = h.id == chosen_ && hasFocus();
        painter.setPen(QPen(h.colour, chosen ? 2.4 : 1.5, h.dashed ? Qt::DashLine : Qt::SolidLine));
        painter.setBrush(h.colour);
        if (h.kind == Handle::Kind::horizontal) {
            if (at.y() < area.top() || at.y() > area.bottom()) continue;
            painter.drawLine(QPointF(area.left(), at.y()), QPointF(area.right(), at.y()));
        } else {
            painter.drawLine(QPointF(at.x(), area.top()), QPointF(at.x(), area.bottom()));
        }
        if (h.label.isEmpty()) continue;
        const QFontMetricsF metrics(painter.font());
        const double wide = metrics.horizontalAdvance(h.label) + 8.0;
        const bool below = h.dashed;  // the lower of a pair is labelled underneath
        QRectF tag(area.left() + 3.0, below ? at.y() + 2.0 : at.y() - 17.0, wide, 15.0);
        if (h.kind == Handle::Kind::vertical)
            tag.moveTo(std::min(at.x() + 3.0, area.right() - wide), area.top() + 2.0);
        paintTag(painter, tag, h.label);
    }
    // What is told of a point lies over all of them.
    for (const Handle& h : handles_) {
        const bool told = h.id == pointed_ || h.id == chosen_;
        if (!h.visible || h.kind != Handle::Kind::point || !told || h.label.isEmpty()) continue;
        const double wide = QFontMetricsF(painter.font()).horizontalAdvance(h.label) + 8.0;
        const QPointF at = pixelOf(h);
        QRectF tag(at.x() - wide / 2.0, at.y() - 28.0, wide, 16.0);
        if (tag.top() < area.top()) tag.moveTop(at.y() + 13.0);
        tag.moveLeft(
            std::clamp(tag.left(), area.left(), std::max(area.left(), area.right() - wide)));
        paintTag(painter, tag, h.label);
    }
    if (hasFocus()) {
        painter.setPen(QPen(p.ember, 1.0));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

}  // namespace ember::app
