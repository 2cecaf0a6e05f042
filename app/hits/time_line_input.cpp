// The time line under mouse and keyboard.

#include "app/hits/time_line.h"
#include "app/widgets/figures.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QToolTip>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kNudge = 0.001;  // seconds

}  // namespace

void TimeLine::wheelEvent(QWheelEvent* event) {
    const double notches = event->angleDelta().y() / 120.0 + event->angleDelta().x() / 120.0;
    if (event->modifiers().testFlag(Qt::ShiftModifier)) {
        const double by = -notches * 0.15 * (to_ - from_);
        show(from_ + by, to_ + by);
    } else {
        zoom(std::pow(1.25, notches), secondsAt(event->position().x()));
    }
    event->accept();
}

void TimeLine::mousePressEvent(QMouseEvent* event) {
    setFocus();
    grabbed_ = event->position();
    grabbedFrom_ = from_;
    if (event->button() == Qt::MiddleButton) {
        drag_ = Drag::pan;
        return;
    }
    if (event->button() != Qt::LeftButton || workspace_.empty()) return;
    if (const auto hit = strokeAt(event->position())) {
        select(hit);
        dragged_ = hit;
        dragBase_ = workspace_.session();
        drag_ = Drag::stroke;
    } else if (event->position().x() > kHead) {
        if (event->position().y() < kRuler) drag_ = Drag::pan;
        select(std::nullopt);
        player_.seek(secondsAt(event->position().x()));
    }
}

void TimeLine::mouseMoveEvent(QMouseEvent* event) {
    const QPointF by = event->position() - grabbed_;
    if (drag_ == Drag::pan) {
        const double seconds = by.x() / std::max(1.0, width() - kHead) * (to_ - from_);
        if (std::abs(by.x()) > 3.0)
            show(grabbedFrom_ - seconds, grabbedFrom_ - seconds + to_ - from_);
        return;
    }
    if (drag_ == Drag::stroke && dragged_ && std::abs(by.x()) >= 3.0) {
        Stroke moved = *dragged_;
        moved.time =
            std::clamp(dragged_->time + secondsAt(event->position().x()) - secondsAt(grabbed_.x()),
                       0.0, lastPlace(*dragged_));
        replaceSelected(moved, dragBase_, "stroke");
        return;
    }
    if (drag_ == Drag::none)
        setCursor(strokeAt(event->position()) ? Qt::SizeHorCursor : Qt::ArrowCursor);
}

void TimeLine::mouseReleaseEvent(QMouseEvent*) {
    if (drag_ == Drag::stroke) workspace_.endGesture();
    drag_ = Drag::none;
    dragged_.reset();
}

void TimeLine::mouseDoubleClickEvent(QMouseEvent* event) {
    const Track* track = trackAt(event->position().y());
    if (track == nullptr || event->position().x() < kHead || strokeAt(event->position())) return;
    addStroke(track->row, secondsAt(event->position().x()));
}

void TimeLine::keyPressEvent(QKeyEvent* event) {
    const bool shift = event->modifiers().testFlag(Qt::ShiftModifier),
               alt = event->modifiers().testFlag(Qt::AltModifier);
    const double rate = std::max(8000, workspace_.session().sampleRate),
                 nudge = shift ? 1.0 / rate : kNudge,
                 middle = selected_ ? selected_->time : 0.5 * (from_ + to_);
    switch (event->key()) {
        case Qt::Key_Left:
            return alt ? moveSelected(-nudge) : step(-1);
        case Qt::Key_Right:
            return alt ? moveSelected(nudge) : step(1);
        case Qt::Key_Plus:
        case Qt::Key_Equal:
        case Qt::Key_Up:
            return zoom(1.5, middle);
        case Qt::Key_Minus:
        case Qt::Key_Down:
            return zoom(1.0 / 1.5, middle);
        case Qt::Key_Delete:
        case Qt::Key_Backspace:
            return removeSelected();
        case Qt::Key_PageUp:
        case Qt::Key_PageDown:
            if (selected_)
                setVelocity(selected_->velocity + (event->key() == Qt::Key_PageUp ? 0.05 : -0.05));
            return;
        case Qt::Key_1:
            return setKind(StrokeKind::accent);
        case Qt::Key_2:
            return setKind(StrokeKind::normal);
        case Qt::Key_3:
            return setKind(StrokeKind::ghost);
        case Qt::Key_4:
            return setKind(StrokeKind::flam);
        case Qt::Key_Insert:
            for (const Track& track : tracks_) {
                if (track.drum == filter_.drum || (filter_.drum.empty() && !track.drum.empty()))
                    return addStroke(track.row, player_.position());
            }
            return;
        case Qt::Key_Return:
        case Qt::Key_Enter:
            if (selected_) player_.seek(std::max(0.0, selected_->time - 0.05));
            return;
        case Qt::Key_Home:
            return showSong();
        case Qt::Key_G:
            return showBar();
        default:
            QWidget::keyPressEvent(event);
    }
}

void TimeLine::contextMenuEvent(QContextMenuEvent* event) {
    const QPointF place = event->reason() == QContextMenuEvent::Keyboard && selected_
                              ? QPointF(xAt(selected_->time), yOf(selected_->mic))
                              : QPointF(event->pos());
    if (event->reason() != QContextMenuEvent::Keyboard) {
        if (const auto hit = strokeAt(place)) select(hit);
    }
    QMenu menu(this);
    if (selected_) {
        for (const StrokeKind kind :
             {StrokeKind::accent, StrokeKind::normal, StrokeKind::ghost, StrokeKind::flam}) {
            QAction* action = menu.addAction(QString::fromUtf8(toString(kind).data()),
                                             [this, kind] { setKind(kind); });
            action->setCheckable(true);
            action->setChecked(selected_->kind == kind);
        }
        menu.addSeparator();
        QMenu* belongs = menu.addMenu(tr("Belongs to"));
        for (const std::string& drum : drums()) {
            QAction* action = belongs->addAction(nameOf(drum), [this, drum] { setDrum(drum); });
            action->setCheckable(true);
            action->setChecked(selected_->drum == drum);
        }
        menu.addAction(tr("Remove"), [this] { removeSelected(); });
    } else if (const Track* track = trackAt(place.y()); track != nullptr && place.x() > kHead) {
        const std::string row = track->row;
        const double at = secondsAt(place.x());
        menu.addAction(track->parts.empty() ? tr("Add a note here") : tr("Add a stroke here"),
                       [this, row, at] { addStroke(row, at); });
    }
    if (!menu.isEmpty()) menu.exec(mapToGlobal(place.toPoint()));
}

bool TimeLine::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        if (const auto s = strokeAt(help->pos())) {
            QToolTip::showText(
                help->globalPos(),
                tr("%1, %2: %3 s, velocity %4, %5")
                    .arg(nameOf(s->drum), QString::fromUtf8(toString(s->kind).data()))
                    .arg(figure(s->time, 4))
                    .arg(figure(s->velocity, 2))
                    .arg(s->mic.empty() ? tr("a note of the pattern")
                         : s->byHand    ? tr("set by hand")
                                        : tr("%1 % sure").arg(figure(100.0 * s->confidence, 0))),
                this);
        } else {
            QToolTip::showText(
                help->globalPos(),
                tr("Wheel zooms, with Shift it moves along. Drag a mark to move its stroke, "
                   "double-click to add one. Arrows step from stroke to stroke."),
                this);
        }
        return true;
    }
    return QWidget::event(event);
}

}  // namespace ember::app
