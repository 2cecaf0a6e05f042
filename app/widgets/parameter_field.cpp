#include "app/widgets/parameter_field.h"

#include "core/base/error.h"

#include <QContextMenuEvent>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QStyle>
#include <QWheelEvent>

#include <cmath>

namespace ember::app {

QString spoken(const std::string& id) {
    QString text = QString::fromStdString(id);
    text.replace('-', ' ');
    if (!text.isEmpty()) text[0] = text[0].toUpper();
    return text;
}

NumberEdit::NumberEdit(const Parameter& parameter, QWidget* parent)
    : QLineEdit(parent), parameter_(parameter), value_(parameter.standard) {
    setAccessibleName(QString::fromStdString(parameter.label));
    setAlignment(Qt::AlignRight);
    setMinimumWidth(76);
    setText(QString::fromStdString(formatValue(parameter_, value_)));
    connect(this, &QLineEdit::textEdited, this, [this] { showRefused(false); });
}

void NumberEdit::setValue(double value) {
    if (value == value_ && !isModified()) return;
    value_ = value;
    showRefused(false);
    setText(QString::fromStdString(formatValue(parameter_, value_)));
    setModified(false);
}

void NumberEdit::showRefused(bool refused) {
    if (property("refused").toBool() == refused) return;
    setProperty("refused", refused);
    style()->unpolish(this);
    style()->polish(this);
}

bool NumberEdit::take() {
    if (!isModified()) return true;
    try {
        value_ = parseValue(parameter_, text().toStdString(), tempo_ ? tempo_() : 0.0);
    } catch (const Error& e) {
        showRefused(true);
        setAccessibleDescription(QString::fromUtf8(e.what()));
        emit refused(QString::fromUtf8(e.what()));
        return false;
    }
    setModified(false);
    setText(QString::fromStdString(formatValue(parameter_, value_)));
    emit moved(value_);
    emit settled();
    return true;
}

void NumberEdit::takeText(const QString& text) {
    setText(text);
    setModified(true);
    take();
}

// The usual menu of a text, and for times the note values of the tempo, half and double.
void NumberEdit::contextMenuEvent(QContextMenuEvent* event) {
    std::unique_ptr<QMenu> menu(createStandardContextMenu());
    if (parameter_.unit == Unit::milliseconds && tempo_) {
        menu->addSeparator();
        QMenu* notes = menu->addMenu(tr("Note value"));
        notes->setObjectName("note-values");
        for (const std::string& note : noteValues()) {
            const double ms = noteMilliseconds(note, tempo_());
            if (ms < parameter_.minimum || ms > parameter_.maximum) continue;
            const QString name = QString::fromStdString(note);
            QAction* action = notes->addAction(
                tr("%1, %2").arg(name, QString::fromStdString(formatValue(parameter_, ms))));
            connect(action, &QAction::triggered, this, [this, name] { takeText(name); });
        }
        notes->setEnabled(!notes->isEmpty());
        for (const double factor : {0.5, 2.0}) {
            const double ms = value_ * factor;
            QAction* action = menu->addAction(factor < 1.0 ? tr("Half") : tr("Double"));
            action->setEnabled(ms >= parameter_.minimum && ms <= parameter_.maximum);
            connect(action, &QAction::triggered, this,
                    [this, ms] { takeText(QString::number(ms, 'g', 12)); });
        }
    }
    if (drawable_) {
        menu->addSeparator();
        QAction* action = menu->addAction(tr("Draw along the song"));
        action->setObjectName("draw-curve");
        connect(action, &QAction::triggered, this, &NumberEdit::drawAsked);
    }
    menu->exec(event->globalPos());
}

void NumberEdit::step(double share, bool finished) {
    const double next =
        fromPosition(parameter_, std::clamp(toPosition(parameter_, value_) + share, 0.0, 1.0));
    setModified(false);
    setValue(next);
    emit moved(next);
    if (finished) emit settled();
}

void NumberEdit::reset() {
    setModified(false);
    setValue(parameter_.standard);
    emit moved(value_);
    emit settled();
}

void NumberEdit::keyPressEvent(QKeyEvent* event) {
    const double size = event->modifiers().testFlag(Qt::ShiftModifier) ? 0.001 : 0.01;
    switch (event->key()) {
        case Qt::Key_Up:
            step(size, true);
            return;
        case Qt::Key_Down:
            step(-size, true);
            return;
        case Qt::Key_PageUp:
            step(0.1, true);
            return;
        case Qt::Key_PageDown:
            step(-0.1, true);
            return;
        case Qt::Key_Return:
        case Qt::Key_Enter:
            if (take()) selectAll();
            return;
        case Qt::Key_Escape:
            if (isModified()) {
                setModified(false);
                showRefused(false);
                setText(QString::fromStdString(formatValue(parameter_, value_)));
                selectAll();
                return;
            }
            break;
        default:
            break;
    }
    QLineEdit::keyPressEvent(event);
}

void NumberEdit::focusInEvent(QFocusEvent* event) {
    QLineEdit::focusInEvent(event);
    selectAll();
}

void NumberEdit::focusOutEvent(QFocusEvent* event) {
    // Nonsense that was left behind gives way to the value that holds.
    if (!take()) {
        setModified(false);
        showRefused(false);
        setText(QString::fromStdString(formatValue(parameter_, value_)));
    }
    QLineEdit::focusOutEvent(event);
}

void NumberEdit::wheelEvent(QWheelEvent* event) {
    // Only where it was asked for: a page that scrolls by must not move numbers.
    if (!hasFocus()) {
        event->ignore();
        return;
    }
    step((event->angleDelta().y() > 0 ? 1.0 : -1.0) *
             (event->modifiers().testFlag(Qt::ShiftModifier) ? 0.001 : 0.01),
         true);
    event->accept();
}

DragLabel::DragLabel(const QString& text, NumberEdit* edit, QWidget* parent)
    : QLabel(text, parent), edit_(edit) {
    setCursor(Qt::SizeVerCursor);
    setProperty("quiet", true);
    setBuddy(edit);
}

void DragLabel::mousePressEvent(QMouseEvent* event) {
    last_ = event->position();
    dragged_ = false;
}

void DragLabel::mouseMoveEvent(QMouseEvent* event) {
    if (!event->buttons().testFlag(Qt::LeftButton)) return;
    const double way = (last_.y() - event->position().y()) + (event->position().x() - last_.x());
    last_ = event->position();
    dragged_ = true;
    edit_->step(way / (event->modifiers().testFlag(Qt::ShiftModifier) ? 2000.0 : 250.0), false);
}

void DragLabel::mouseReleaseEvent(QMouseEvent*) {
    if (dragged_) emit edit_->settled();
    edit_->setFocus(Qt::MouseFocusReason);
}

void DragLabel::mouseDoubleClickEvent(QMouseEvent*) {
    edit_->reset();
}

namespace {

ParameterField::Access accessOf(Workspace& workspace, const std::string& row,
                                const std::string& stage, const Parameter& parameter) {
    return {[&workspace, row, stage, &parameter] {
                const Row* r = findRow(workspace.session(), row);
                const Stage* s = r != nullptr ? findStage(*r, stage) : nullptr;
                if (s == nullptr) return parameter.standard;
                const int index = parameterIndex(processorType(s->type).table, parameter.id);
                return s->values[static_cast<std::size_t>(index)];
            },
            [&workspace, row, stage, &parameter](double value, bool gesture) {
                workspace.setValue(
                    row, stage, parameter.id, value,
                    gesture ? row + "/" + stage + "/" + parameter.id : std::string());
            }};
}

}  // namespace

ParameterField::ParameterField(Workspace& workspace, const std::string& row,
                               const std::string& stage, const Parameter& parameter,
                               const QString& label, QWidget* parent)
    : ParameterField(workspace, parameter, accessOf(workspace, row, stage, parameter), label,
                     parent) {
    offerCurve({row, stage, {}, parameter.id});
}

ParameterField::ParameterField(Workspace& workspace, const Parameter& parameter, Access access,
                               const QString& label, QWidget* parent)
    : QWidget(parent),
      workspace_(workspace),
      parameter_(parameter),
      access_(std::move(access)),
      text_(label.isEmpty() ? QString::fromStdString(parameter.label) : label) {
    const QString& text = text_;
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(8);
    setObjectName(QString::fromStdString(parameter.id));
    setToolTip(QString::fromStdString(parameter.doc));
    if (parameter.scale == Scale::toggle) {
        toggle_ = new QCheckBox(text, this);
        line->addWidget(toggle_, 1);
        connect(toggle_, &QCheckBox::clicked, this,
                [this](bool on) { access_.put(on ? 1.0 : 0.0, false); });
    } else if (parameter.scale == Scale::choice) {
        auto* name = new QLabel(text, this);
        name->setProperty("quiet", true);
        choice_ = new QComboBox(this);
        choice_->setAccessibleName(text);
        for (const std::string& id : parameter.choices) choice_->addItem(spoken(id));
        line->addWidget(name, 1);
        line->addWidget(choice_);
        connect(choice_, &QComboBox::activated, this,
                [this](int index) { access_.put(index, false); });
    } else {
        number_ = new NumberEdit(parameter, this);
        number_->setAccessibleName(text);
        number_->setTempo([&workspace] { return tempoHere(workspace.session()); });
        label_ = new DragLabel(text, number_, this);
        line->addWidget(label_, 1);
        line->addWidget(number_);
        number_->setFixedWidth(86);
        connect(number_, &NumberEdit::moved, this,
                [this](double value) { access_.put(value, true); });
        connect(number_, &NumberEdit::settled, &workspace, &Workspace::endGesture);
        connect(number_, &NumberEdit::refused, &workspace, &Workspace::refused);
    }
    refresh();
}

void ParameterField::offerCurve(const CurvePlace& place) {
    if (number_ == nullptr) return;
    try {
        curveParameter(workspace_.session(), place);
    } catch (const Error&) {
        return;  // nothing that may move along the song
    }
    curve_ = place;
    number_->setDrawable();
    connect(number_, &NumberEdit::drawAsked, this, [this] { emit workspace_.drawAsked(curve_); });
    showCurve();
}

void ParameterField::showCurve() {
    if (curve_.row.empty()) return;
    const Curve* curve = findCurve(workspace_.session(), curve_);
    const bool moved = curve != nullptr && curve->on;
    label_->setText(moved ? QStringLiteral("∿ ") + text_ : text_);
    QString help = QString::fromStdString(parameter_.doc);
    if (moved) help += "\n" + tr("A curve moves it along the song: what stands here is not heard.");
    setToolTip(help);
    number_->setAccessibleDescription(moved ? tr("moved by a curve") : QString());
}

void ParameterField::refresh() {
    showCurve();
    const double value = access_.get();
    if (toggle_ != nullptr) toggle_->setChecked(value >= 0.5);
    if (choice_ != nullptr) choice_->setCurrentIndex(static_cast<int>(std::lround(value)));
    // What is being typed is not overwritten by what is heard meanwhile.
    if (number_ != nullptr && !(number_->hasFocus() && number_->isModified()))
        number_->setValue(value);
}

}  // namespace ember::app
