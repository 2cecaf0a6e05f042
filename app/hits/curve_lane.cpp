#include "app/hits/curve_lane.h"

#include "app/widgets/figures.h"
#include "core/base/error.h"

#include <QCoreApplication>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kPointGrab = 8.0;    // pixels around a point
constexpr double kPointSpace = 10.0;  // above and below the range

// A point does not change places with another.
double betweenNeighbours(const Curve& curve, std::size_t at, double quarter) {
    const double first = at > 0             ? curve.points[at - 1].quarter
                         : (curve.bars > 0) ? 0.0
                                            : -kLastCurveQuarter,
                 last = at + 1 < curve.points.size() ? curve.points[at + 1].quarter
                                                     : kLastCurveQuarter;
    return std::clamp(quarter, first, last);
}

QString shapeText(CurveShape shape) {
    switch (shape) {
        case CurveShape::hold:
            return CurveLane::tr("holds until the next");
        case CurveShape::ease:
            return CurveLane::tr("eases to the next");
        case CurveShape::line:
            break;
    }
    return CurveLane::tr("goes straight to the next");
}

}  // namespace

CurveLane::CurveLane(Workspace& workspace, Player& player, TimeLine& line, QWidget* parent)
    : QWidget(parent), workspace_(workspace), player_(player), line_(line) {
    setObjectName("curve-lane");
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setFixedHeight(150);
    setAccessibleName(tr("Curve along the song"));
    connect(&line_, &TimeLine::viewChanged, this, [this] { update(); });
    connect(&workspace_, &Workspace::changed, this, [this] {
        const Curve* c = curve();
        if (selected_ >= (c != nullptr ? static_cast<int>(c->points.size()) : 0)) select(-1);
        update();
    });
    connect(&workspace_, &Workspace::opened, this, [this] { show(std::nullopt); });
}

const Curve* CurveLane::curve() const {
    return place_ ? findCurve(workspace_.session(), *place_) : nullptr;
}

// Null where what it moves has gone meanwhile.
const Parameter* CurveLane::parameter() const {
    if (!place_) return nullptr;
    try {
        return &curveParameter(workspace_.session(), *place_);
    } catch (const Error&) {
        return nullptr;
    }
}

void CurveLane::show(const std::optional<CurvePlace>& place) {
    place_ = place;
    select(-1);
    update();
}

void CurveLane::select(int point) {
    selected_ = point;
    setAccessibleDescription(selectedText());
    update();
    emit selectionChanged();
}

QString CurveLane::selectedText() const {
    const Curve* c = curve();
    const Parameter* p = parameter();
    if (p == nullptr) return {};
    if (c == nullptr || selected_ < 0)
        return tr("%1: %2. Double-click or Insert adds a point.")
            .arg(QString::fromStdString(curveTitle(workspace_.session(), *place_)),
                 c == nullptr ? tr("nothing moves it")
                              : tr("%n points", nullptr, static_cast<int>(c->points.size())));
    const CurvePoint& point = c->points[static_cast<std::size_t>(selected_)];
    const TimeMap& time = workspace_.session().time;
    const BarPlace at = placeAt(time, ember::secondsAt(time, point.quarter));
    return tr("Point %1 of %2: bar %3, beat %4, %5, %6.   ← → steps, Alt+← → moves, ↑ ↓ the "
              "value (Shift: fine), 1 2 3 the shape, Delete removes")
        .arg(selected_ + 1)
        .arg(c->points.size())
        .arg(at.bar + 1)
        .arg(figure(at.beat + 1.0, 2))
        .arg(told(*p, point.value), shapeText(point.shape));
}

// --- Where things stand

QRectF CurveLane::area() const {
    return QRectF(TimeLine::kHead, kPointSpace, width() - TimeLine::kHead,
                  height() - 2.0 * kPointSpace);
}

// Levels down to silence have most of their room where one rides them.
bool CurveLane::reachesSilence(const Parameter& parameter) {
    return parameter.unit == Unit::dB && parameter.minimum <= -80.0;
}

double CurveLane::yOf(double value) const {
    const double position = toPosition(*parameter(), value);
    const double height = reachesSilence(*parameter()) ? position * position : position;
    return area().bottom() - height * area().height();
}

double CurveLane::valueAt(double y) const {
    const Parameter& p = *parameter();
    const double height = std::clamp((area().bottom() - y) / area().height(), 0.0, 1.0);
    return fromPosition(p, reachesSilence(p) ? std::sqrt(height) : height);
}

QPointF CurveLane::placeOf(const CurvePoint& point, double begin) const {
    return {line_.xAt(ember::secondsAt(workspace_.session().time, begin + point.quarter)),
            yOf(point.value)};
}

std::vector<double> CurveLane::beginnings() const {
    const Curve* c = curve();
    if (c == nullptr || c->bars <= 0) return {0.0};
    const TimeMap& time = workspace_.session().time;
    std::vector<double> out;
    const int first = barAt(time, line_.from()), last = barAt(time, line_.to());
    for (int bar = first - ((first % c->bars) + c->bars) % c->bars; bar <= last; bar += c->bars)
        out.push_back(quarterOfBar(time, bar));
    return out;
}

QString CurveLane::told(const Parameter& parameter, double value) {
    return QString::fromStdString(formatValue(parameter, value));
}

double CurveLane::quarterAt(double x) const {
    const TimeMap& time = workspace_.session().time;
    const double quarter = ember::quarterAt(time, line_.secondsAt(x));
    const Curve* c = curve();
    if (c == nullptr || c->bars <= 0) return quarter;
    const int bar = barAt(time, line_.secondsAt(x)),
              first = bar - ((bar % c->bars) + c->bars) % c->bars;
    return quarter - quarterOfBar(time, first);
}

double CurveLane::snapped(double quarter, bool freely) const {
    if (freely) return quarter;
    // A sixteenth where there is room for it, else a beat or a bar.
    const double pixels = (width() - TimeLine::kHead) / (line_.to() - line_.from()) * 60.0 /
                          tempoAt(workspace_.session().time, line_.from());
    const double step = 0.25 * pixels > 6.0 ? 0.25 : (pixels > 6.0 ? 1.0 : 4.0);
    return std::round(quarter / step) * step;
}

int CurveLane::pointAt(const QPointF& place) const {
    const Curve* c = curve();
    if (c == nullptr || parameter() == nullptr) return -1;
    int nearest = -1;
    double best = kPointGrab;
    for (const double begin : beginnings()) {
        for (std::size_t i = 0; i < c->points.size(); ++i) {
            const QPointF by = placeOf(c->points[i], begin) - place;
            const double far = std::hypot(by.x(), by.y());
            if (far > best) continue;
            best = far;
            nearest = static_cast<int>(i);
        }
    }
    return nearest;
}

// --- Edits

void CurveLane::put(Curve next, int selected, const std::string& gesture) {
    workspace_.attempt([&] { return withCurve(workspace_.session(), *place_, std::move(next)); },
                       gesture);
    select(selected);
}

void CurveLane::addPoint(double seconds, double value) {
    if (parameter() == nullptr) return;
    const Curve* known = curve();
    Curve next = known != nullptr ? *known : Curve{place_->parameter};
    CurvePoint point;
    point.quarter = snapped(quarterAt(line_.xAt(seconds)), false);
    point.value = value;
    if (next.bars > 0) point.quarter = std::max(0.0, point.quarter);
    const auto at = std::upper_bound(
        next.points.begin(), next.points.end(), point,
        [](const CurvePoint& a, const CurvePoint& b) { return a.quarter < b.quarter; });
    // It goes on as the one before it does.
    if (at != next.points.begin()) point.shape = std::prev(at)->shape;
    const auto index = static_cast<int>(at - next.points.begin());
    next.points.insert(at, point);
    put(std::move(next), index);
}

void CurveLane::removeSelected() {
    const Curve* known = curve();
    if (known == nullptr || selected_ < 0) return;
    Curve next = *known;
    next.points.erase(next.points.begin() + selected_);
    if (next.points.empty()) {
        workspace_.attempt([&] { return withoutCurve(workspace_.session(), *place_); });
        return select(-1);
    }
    put(std::move(next), std::min(selected_, static_cast<int>(known->points.size()) - 2));
}

void CurveLane::setShape(CurveShape shape) {
    const Curve* known = curve();
    if (known == nullptr || selected_ < 0) return;
    Curve next = *known;
    next.points[static_cast<std::size_t>(selected_)].shape = shape;
    put(std::move(next), selected_);
}

void CurveLane::moveSelected(double quarters, double share) {
    const Curve* known = curve();
    const Parameter* p = parameter();
    if (known == nullptr || p == nullptr || selected_ < 0) return;
    Curve next = *known;
    const auto at = static_cast<std::size_t>(selected_);
    CurvePoint& point = next.points[at];
    point.quarter = betweenNeighbours(next, at, point.quarter + quarters);
    point.value = fromPosition(*p, std::clamp(toPosition(*p, point.value) + share, 0.0, 1.0));
    put(std::move(next), selected_, "curve/" + toText(*place_) + "/" + place_->row);
}

// --- Mouse and keyboard

void CurveLane::mousePressEvent(QMouseEvent* event) {
    setFocus();
    if (event->button() != Qt::LeftButton || parameter() == nullptr) return;
    select(pointAt(event->position()));
    if (selected_ < 0) return;
    dragging_ = true;
    dragBase_ = *curve();
}

void CurveLane::mouseMoveEvent(QMouseEvent* event) {
    if (parameter() == nullptr) return;
    if (!dragging_) {
        setCursor(pointAt(event->position()) >= 0 ? Qt::SizeAllCursor : Qt::CrossCursor);
        return;
    }
    Curve next = dragBase_;
    const auto at = static_cast<std::size_t>(selected_);
    const bool freely = event->modifiers().testFlag(Qt::AltModifier);
    next.points[at].quarter =
        betweenNeighbours(next, at, snapped(quarterAt(event->position().x()), freely));
    next.points[at].value = valueAt(event->position().y());
    put(std::move(next), selected_, "curve/" + toText(*place_) + "/" + place_->row);
}

void CurveLane::mouseReleaseEvent(QMouseEvent*) {
    if (dragging_) workspace_.endGesture();
    dragging_ = false;
}

void CurveLane::mouseDoubleClickEvent(QMouseEvent* event) {
    if (parameter() == nullptr || event->position().x() < TimeLine::kHead ||
        pointAt(event->position()) >= 0)
        return;
    addPoint(line_.secondsAt(event->position().x()), valueAt(event->position().y()));
}

// The time line above has the same scale: it zooms and moves along for both.
void CurveLane::wheelEvent(QWheelEvent* event) {
    QCoreApplication::sendEvent(&line_, event);
}

void CurveLane::keyPressEvent(QKeyEvent* event) {
    const Curve* c = curve();
    const Parameter* p = parameter();
    const bool alt = event->modifiers().testFlag(Qt::AltModifier),
               shift = event->modifiers().testFlag(Qt::ShiftModifier);
    const int count = c != nullptr ? static_cast<int>(c->points.size()) : 0;
    const double quarters = shift ? 0.01 : 0.25, share = shift ? 0.001 : 0.01;
    switch (event->key()) {
        case Qt::Key_Left:
            return alt ? moveSelected(-quarters, 0.0) : select(std::max(0, selected_ - 1));
        case Qt::Key_Right:
            return alt ? moveSelected(quarters, 0.0) : select(std::min(count - 1, selected_ + 1));
        case Qt::Key_Up:
            return moveSelected(0.0, share);
        case Qt::Key_Down:
            return moveSelected(0.0, -share);
        case Qt::Key_PageUp:
            return moveSelected(0.0, 0.1);
        case Qt::Key_PageDown:
            return moveSelected(0.0, -0.1);
        case Qt::Key_1:
            return setShape(CurveShape::hold);
        case Qt::Key_2:
            return setShape(CurveShape::line);
        case Qt::Key_3:
            return setShape(CurveShape::ease);
        case Qt::Key_Delete:
        case Qt::Key_Backspace:
            return removeSelected();
        case Qt::Key_Insert:
        case Qt::Key_A:
            if (p == nullptr) return;
            return addPoint(player_.position(), valueUnder(workspace_.session(), *place_));
        case Qt::Key_Return:
        case Qt::Key_Enter:
            if (c != nullptr && selected_ >= 0)
                player_.seek(std::max(
                    0.0, ember::secondsAt(workspace_.session().time,
                                          c->points[static_cast<std::size_t>(selected_)].quarter)));
            return;
        default:
            QWidget::keyPressEvent(event);
    }
}

void CurveLane::contextMenuEvent(QContextMenuEvent* event) {
    if (parameter() == nullptr) return;
    const bool keys = event->reason() == QContextMenuEvent::Keyboard;
    if (!keys) select(pointAt(event->pos()));
    QMenu menu(this);
    const Curve* c = curve();
    if (c != nullptr && selected_ >= 0) {
        const CurveShape now = c->points[static_cast<std::size_t>(selected_)].shape;
        for (const CurveShape shape : {CurveShape::hold, CurveShape::line, CurveShape::ease}) {
            QString text = shapeText(shape);
            text[0] = text[0].toUpper();
            QAction* action = menu.addAction(text, [this, shape] { setShape(shape); });
            action->setCheckable(true);
            action->setChecked(shape == now);
        }
        menu.addAction(tr("Remove"), [this] { removeSelected(); });
    } else if (!keys) {
        const QPoint at = event->pos();
        menu.addAction(tr("Add a point here"),
                       [this, at] { addPoint(line_.secondsAt(at.x()), valueAt(at.y())); });
    }
    if (!menu.isEmpty()) menu.exec(event->globalPos());
}

bool CurveLane::event(QEvent* event) {
    // What the page says is about what has the keys.
    if (event->type() == QEvent::FocusIn) emit selectionChanged();
    if (event->type() == QEvent::ToolTip && parameter() != nullptr) {
        auto* help = static_cast<QHelpEvent*>(event);
        const Curve* c = curve();
        const int at = pointAt(help->pos());
        QToolTip::showText(
            help->globalPos(),
            c != nullptr && at >= 0
                ? tr("%1, %2").arg(
                      told(*parameter(), c->points[static_cast<std::size_t>(at)].value),
                      shapeText(c->points[static_cast<std::size_t>(at)].shape))
                : tr("Double-click adds a point, dragging moves it along the grid (Alt: freely). "
                     "What is set by hand is the dotted line; the curve holds in its place."),
            this);
        return true;
    }
    return QWidget::event(event);
}

void CurveLane::tick() {
    const auto x = static_cast<int>(line_.xAt(player_.position()));
    if (x == playheadAt_) return;
    playheadAt_ = x;
    update();
}

}  // namespace ember::app
