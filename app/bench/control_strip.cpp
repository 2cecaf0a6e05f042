#include "app/bench/control_strip.h"

#include "app/bench/control_dialog.h"
#include "app/theme/theme.h"
#include "app/widgets/figures.h"

#include <QInputDialog>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr int kSteps = 1000;  // of the whole way
constexpr int kMargin = 10;   // px, at both ends of a bar

QString movesText(const Session& session, const Row& row, const RowControl& control) {
    QStringList lines;
    if (movesTogether(session, control.name)) {
        QStringList others;
        for (const std::string& id : rowsWithControl(session, control.name)) {
            if (id != row.id) others << QString::fromStdString(findRow(session, id)->name);
        }
        if (!others.isEmpty())
            lines << QObject::tr("Moves %1 too").arg(others.join(QLatin1String(", ")));
    }
    for (const RowControl::Moved& moved : control.moves) {
        const Stage& stage = *findStage(row, moved.stage);
        const ControlTarget& t = stage.controls[moved.target];
        const ParameterTable table = processorType(stage.type).table;
        const auto index = static_cast<std::size_t>(parameterIndex(table, t.parameter));
        lines << QString::fromStdString(
            processorType(stage.type).label + " · " + parameterLabel(stage, index) + ": " +
            formatValue(table[index], t.from) + " → " + formatValue(table[index], t.to));
    }
    return lines.join('\n');
}

}  // namespace

ControlBar::ControlBar(QWidget* parent) : QSlider(Qt::Horizontal, parent) {
    setRange(0, kSteps);
    setSingleStep(kSteps / 100);
    setPageStep(kSteps / 10);
    setFixedSize(196, 44);
    setFocusPolicy(Qt::StrongFocus);
    setCursor(Qt::SizeHorCursor);
}

void ControlBar::show(const RowControl& control, const QString& moves) {
    name_ = QString::fromStdString(control.name);
    agrees_ = control.agrees;
    const QSignalBlocker quiet(this);
    setValue(static_cast<int>(std::lround(control.position * kSteps / 100.0)));
    setAccessibleName(name_);
    setAccessibleDescription(
        tr("%1 %").arg(figure(control.position, 0)) +
        (agrees_ ? QString()
                 : ", " + tr("not everything that it moves stands where it would put it")));
    setToolTip(moves +
               (agrees_ ? QString()
                        : "\n" + tr("Something was moved by hand since: it does not stand where "
                                    "this would put it.")) +
               "\n" + tr("Enter or the right button: what it moves, its name."));
    update();
}

void ControlBar::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Palette& p = colours();
    painter.setPen(QPen(hasFocus() ? p.ember : p.hoop, hasFocus() ? 1.5 : 1.0));
    painter.setBrush(p.stave);
    painter.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 4, 4);
    painter.setFont(face(13, QFont::DemiBold));
    painter.setPen(p.chalk);
    const QRect words = rect().adjusted(kMargin, 5, -kMargin, -18);
    const QString told = tr("%1 %").arg(figure(100.0 * value() / kSteps, 0));
    const int figures = painter.fontMetrics().horizontalAdvance(told) + 8;
    painter.drawText(words, Qt::AlignVCenter | Qt::AlignRight, told);
    painter.drawText(
        words, Qt::AlignVCenter | Qt::AlignLeft,
        painter.fontMetrics().elidedText(name_, Qt::ElideRight, words.width() - figures));
    const QRectF way(kMargin, height() - 14.0, width() - 2.0 * kMargin, 6.0);
    painter.fillRect(way, p.hoop);
    const double share = static_cast<double>(value()) / kSteps;
    const QRectF done(way.left(), way.top(), way.width() * share, way.height());
    if (agrees_) {
        painter.fillRect(done, p.ember);
    } else {
        // Broken: something went its own way.
        for (double x = done.left(); x < done.right(); x += 8.0)
            painter.fillRect(QRectF(x, done.top(), std::min(5.0, done.right() - x), done.height()),
                             p.ember);
    }
    painter.fillRect(QRectF(way.left() + way.width() * share - 1.5, way.top() - 3.0, 3.0, 12.0),
                     p.chalk);
}

// Dragged from wherever it is taken hold of: nothing jumps.
void ControlBar::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return event->ignore();
    setSliderDown(true);
    grabbedAt_ = event->position().x();
    grabbed_ = value();
}
void ControlBar::mouseMoveEvent(QMouseEvent* event) {
    if (!isSliderDown()) return;
    const double fine = event->modifiers().testFlag(Qt::ShiftModifier) ? 0.1 : 1.0;
    const double moved =
        (event->position().x() - grabbedAt_) * fine * kSteps / (width() - 2.0 * kMargin);
    setValue(grabbed_ + static_cast<int>(std::lround(moved)));
}
void ControlBar::mouseReleaseEvent(QMouseEvent*) {
    setSliderDown(false);
}

void ControlBar::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
        emit menuAsked(mapToGlobal(rect().bottomLeft()));
        return;
    }
    // Escape leaves the bench, and digits are the window's.
    QSlider::keyPressEvent(event);
}

void ControlBar::contextMenuEvent(QContextMenuEvent* event) {
    emit menuAsked(event->globalPos());
}

ControlStrip::ControlStrip(Workspace& workspace, QWidget* parent)
    : QWidget(parent), workspace_(workspace) {
    setObjectName("control-strip");
    line_ = new QHBoxLayout(this);
    line_->setContentsMargins(10, 2, 10, 4);
    line_->setSpacing(8);
    none_ = new QLabel(
        tr("Controls of your own move several parameters at once and go with the chain."), this);
    none_->setProperty("quiet", true);
    line_->addWidget(none_);
    line_->addStretch(1);
    make_ = new QToolButton(this);
    make_->setObjectName("control-new");
    make_->setText(tr("New control"));
    make_->setToolTip(
        tr("One bar that moves several of this row’s parameters between two values."));
    connect(make_, &QToolButton::clicked, this, [this] { edit({}); });
    line_->addWidget(make_);
    connect(&workspace_, &Workspace::changed, this, &ControlStrip::refresh);
    connect(&workspace_, &Workspace::opened, this, &ControlStrip::refresh);
    hide();
}

void ControlStrip::setRow(const std::string& row) {
    row_ = row;
    refresh();
}

void ControlStrip::refresh() {
    const Row* row = findRow(workspace_.session(), row_);
    setVisible(row != nullptr && row->kind != RowKind::reference);
    if (row == nullptr) return;
    const std::vector<RowControl> controls = controlsOf(*row);
    none_->setVisible(controls.empty());
    while (bars_.size() > controls.size()) {
        // Later: it may be its own menu that took its control away.
        bars_.back()->hide();
        bars_.back()->deleteLater();
        bars_.pop_back();
    }
    while (bars_.size() < controls.size()) {
        auto* bar = new ControlBar(this);
        const std::size_t at = bars_.size();
        bar->setObjectName(QString("control-%1").arg(at + 1));
        connect(bar, &QSlider::valueChanged, this, [this, at](int value) {
            const std::string name = names_[at];
            workspace_.attempt(
                [&] {
                    return withControlMoved(workspace_.session(), row_, name,
                                            100.0 * value / kSteps);
                },
                "control/" + row_ + "/" + name);
        });
        // A drag is one edit, and so are keys up to whatever is done next.
        for (const auto ends : {&QSlider::sliderPressed, &QSlider::sliderReleased})
            connect(bar, ends, &workspace_, [this] { workspace_.endGesture(); });
        connect(bar, &ControlBar::menuAsked, this,
                [this, at](const QPoint& where) { openMenu(names_[at], where); });
        line_->insertWidget(static_cast<int>(at), bar);
        bars_.push_back(bar);
    }
    names_.clear();
    for (std::size_t i = 0; i < controls.size(); ++i) {
        names_.push_back(controls[i].name);
        // What is being dragged stays under the hand.
        bars_[i]->show(controls[i], movesText(workspace_.session(), *row, controls[i]));
    }
}

void ControlStrip::openMenu(const std::string& control, const QPoint& at) {
    QMenu menu(this);
    menu.addAction(tr("What it moves …"), this, [this, control] { edit(control); });
    menu.addAction(tr("Now is 0 %"), this, [this, control] {
        workspace_.attempt(
            [&] { return withControlEndHere(workspace_.session(), row_, control, false); });
    });
    menu.addAction(tr("Now is 100 %"), this, [this, control] {
        workspace_.attempt(
            [&] { return withControlEndHere(workspace_.session(), row_, control, true); });
    });
    menu.addAction(tr("Remove"), this, [this, control] {
        workspace_.attempt([&] { return withoutControl(workspace_.session(), row_, control); });
    });
    menu.exec(at);
}

void ControlStrip::edit(const std::string& control) {
    auto* dialog = new ControlDialog(workspace_, row_, control, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->show();
}

}  // namespace ember::app
