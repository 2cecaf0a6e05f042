#include "app/window/overview.h"

#include "app/theme/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kEdge = 10.0;
constexpr double kGrip = 6.0;

}  // namespace

Overview::Overview(Workspace& workspace, Player& player, Tracer& tracer, QWidget* parent)
    : QWidget(parent), workspace_(workspace), player_(player), tracer_(tracer) {
    setObjectName("overview");
    setFixedHeight(58);
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("Song overview"));
    setToolTip(
        tr("Click to go there, drag to loop (to the beat; Shift: freely), drag the loop's ends to "
           "move them, double-click to clear it."));
    const auto redraw = [this] {
        redrawWave();
        update();
    };
    connect(&workspace_, &Workspace::opened, this, redraw);
    connect(&workspace_, &Workspace::changed, this, [this, redraw] {
        // Bar lines are part of the picture.
        if (drawn_ != workspace_.session().time) return redraw();
        update();
    });
    connect(&player_, &Player::planReady, this, redraw);
    connect(&tracer_, &Tracer::traced, this, [this, redraw](const QString& row) {
        const Row* r = findRow(workspace_.session(), row.toStdString());
        if (r != nullptr && r->kind == RowKind::main) redraw();
    });
}

double Overview::xAt(double seconds) const {
    const double length = std::max(0.001, player_.length());
    return kEdge + (width() - 2.0 * kEdge) * seconds / length;
}

double Overview::secondsAt(double x) const {
    return std::clamp((x - kEdge) / (width() - 2.0 * kEdge), 0.0, 1.0) * player_.length();
}

double Overview::onBeat(double seconds) const {
    return std::max(0.0, nearestBeat(workspace_.session().time, seconds));
}

void Overview::redrawWave() {
    drawn_ = workspace_.session().time;
    const double ratio = devicePixelRatioF();
    wave_ = QPixmap(size() * ratio);
    wave_.setDevicePixelRatio(ratio);
    const Palette& p = colours();
    wave_.fill(p.coal);
    if (workspace_.empty()) return;
    QPainter painter(&wave_);
    painter.fillRect(rect().adjusted(static_cast<int>(kEdge), 0, -static_cast<int>(kEdge), -14),
                     p.stave);
    const Session& session = workspace_.session();
    const double length = player_.length();
    painter.setFont(face(11));
    const int bars = length > 0.0 ? std::max(0, barAt(session.time, length) + 1) : 0;
    int every = 1;
    while (every < bars && (xAt(length) - xAt(0.0)) * every / bars < 44.0) every *= 2;
    for (int n = 0; n < bars; n += every) {
        const double x = xAt(secondsOfBar(session.time, n));
        painter.setPen(p.hoop);
        painter.drawLine(QPointF(x, 0), QPointF(x, height() - 14));
        painter.setPen(p.quiet);
        painter.drawText(QRectF(x + 2, height() - 14, 40, 14), Qt::AlignVCenter,
                         QString::number(n + 1));
    }
    std::string main;
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::main) main = row.id;
    }
    const auto trace = tracer_.of(main);
    if (!trace || trace->stages.empty() || length <= 0.0) {
        painter.setPen(p.quiet);
        painter.drawText(rect().adjusted(0, 0, 0, -14), Qt::AlignCenter, tr("Measuring the mix …"));
        return;
    }
    const auto& peaks = trace->stages.back().outputPeak;
    const double middle = (height() - 14) / 2.0,
                 block = static_cast<double>(kBlock) / session.sampleRate;
    // The loudest stroke fills the strip; how loud that is, the meters say.
    const float loudest =
        peaks.empty() ? 1.0F : std::max(1e-4F, *std::max_element(peaks.begin(), peaks.end()));
    painter.setPen(p.wave);
    for (int x = static_cast<int>(kEdge); x < width() - static_cast<int>(kEdge); ++x) {
        const auto first = static_cast<std::size_t>(secondsAt(x) / block),
                   last = static_cast<std::size_t>(secondsAt(x + 1) / block);
        float peak = 0.0F;
        for (std::size_t i = first; i < last && i < peaks.size(); ++i)
            peak = std::max(peak, peaks[i]);
        const double tall = static_cast<double>(peak / loudest) * (middle - 2.0);
        painter.drawLine(QPointF(x, middle - tall), QPointF(x, middle + tall));
    }
}

void Overview::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Palette& p = colours();
    if (wave_.isNull()) redrawWave();
    painter.drawPixmap(0, 0, wave_);
    if (workspace_.empty()) return;
    const LoopSpan& loop = workspace_.session().loop;
    if (loop.to > loop.from) {
        QColor colour = loop.on ? p.ember : p.quiet;
        const QRectF span(xAt(loop.from), 0.0, xAt(loop.to) - xAt(loop.from), height() - 14.0);
        colour.setAlpha(46);
        painter.fillRect(span, colour);
        colour.setAlpha(255);
        painter.fillRect(QRectF(span.left() - 1.5, 0, 3, span.height()), colour);
        painter.fillRect(QRectF(span.right() - 1.5, 0, 3, span.height()), colour);
    }
    const double x = xAt(player_.position());
    painter.fillRect(QRectF(x - 1.0, 0, 2, height() - 14), p.chalk);
    if (hasFocus()) {
        painter.setPen(QPen(p.ember, 1.0));
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void Overview::tick() {
    const int x = static_cast<int>(xAt(player_.position()));
    if (x == playheadAt_) return;
    update(QRect(playheadAt_ - 3, 0, 6, height()));
    playheadAt_ = x;
    update(QRect(x - 3, 0, 6, height()));
}

void Overview::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || workspace_.empty()) return;
    const LoopSpan& loop = workspace_.session().loop;
    const double x = event->position().x();
    drag_ = Drag::pending;
    if (loop.to > loop.from && std::abs(x - xAt(loop.from)) < kGrip) drag_ = Drag::from;
    if (loop.to > loop.from && std::abs(x - xAt(loop.to)) < kGrip) drag_ = Drag::to;
    grabbed_ = x;
}

void Overview::mouseMoveEvent(QMouseEvent* event) {
    const double x = event->position().x();
    const LoopSpan old = workspace_.session().loop;
    if (drag_ == Drag::none) {
        const bool end = old.to > old.from &&
                         (std::abs(x - xAt(old.from)) < kGrip || std::abs(x - xAt(old.to)) < kGrip);
        setCursor(end ? Qt::SizeHorCursor : Qt::ArrowCursor);
        return;
    }
    if (drag_ == Drag::pending && std::abs(x - grabbed_) < 5.0) return;
    if (drag_ == Drag::pending) drag_ = Drag::fresh;
    const bool free = event->modifiers().testFlag(Qt::ShiftModifier);
    const auto place = [&](double at) {
        return free ? secondsAt(at) : std::min(onBeat(secondsAt(at)), player_.length());
    };
    LoopSpan loop = old;
    loop.on = true;
    if (drag_ == Drag::fresh) {
        loop.from = place(std::min(grabbed_, x));
        loop.to = place(std::max(grabbed_, x));
    }
    if (drag_ == Drag::from) loop.from = std::min(place(x), old.to - 0.05);
    if (drag_ == Drag::to) loop.to = std::max(place(x), old.from + 0.05);
    if (loop.to - loop.from > 0.04) workspace_.setLoop(loop, "loop");
}

void Overview::mouseReleaseEvent(QMouseEvent* event) {
    if (drag_ == Drag::pending) player_.seek(secondsAt(event->position().x()));
    if (drag_ != Drag::none) workspace_.endGesture();
    drag_ = Drag::none;
}

void Overview::mouseDoubleClickEvent(QMouseEvent*) {
    drag_ = Drag::none;
    workspace_.setLoop({});
}

void Overview::keyPressEvent(QKeyEvent* event) {
    const Session& s = workspace_.session();
    const bool beats = event->modifiers().testFlag(Qt::ShiftModifier);
    const auto step = [&](int count) {
        const double at = player_.position();
        player_.seek(beats ? beatsLater(s.time, at, count) : barsLater(s.time, at, count));
    };
    switch (event->key()) {
        case Qt::Key_Left:
            step(-1);
            return;
        case Qt::Key_Right:
            step(1);
            return;
        case Qt::Key_Home:
            player_.seek(0.0);
            return;
        default:
            QWidget::keyPressEvent(event);
    }
}

void Overview::resizeEvent(QResizeEvent*) {
    redrawWave();
}

}  // namespace ember::app
