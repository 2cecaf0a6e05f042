#include "app/bench/send_list.h"

#include "app/board/row_menu.h"
#include "core/dsp/seat.h"
#include "core/session/routing.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QScrollArea>
#include <QStyleOptionButton>

#include <algorithm>

namespace ember::app {

ShortCheckBox::ShortCheckBox(QString words, QWidget* parent)
    : QCheckBox(words, parent), words_(std::move(words)) {
    setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
}

void ShortCheckBox::resizeEvent(QResizeEvent* event) {
    QCheckBox::resizeEvent(event);
    QStyleOptionButton option;
    initStyleOption(&option);
    const int room = style()->subElementRect(QStyle::SE_CheckBoxContents, &option, this).width();
    setText(fontMetrics().elidedText(words_, Qt::ElideRight, room));
    setToolTip(text() == words_ ? QString() : words_);
}

SendList::SendList(Workspace& workspace, std::string row, QWidget* parent)
    : QWidget(parent), workspace_(workspace), row_(std::move(row)) {
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 8, 0, 0);
    outer->setSpacing(6);
    auto* add = new QPushButton(tr("Send to"), this);
    add->setObjectName("send-add");
    add->setToolTip(
        tr("Sends this row to another bus beside its own: a parallel, a space, or a "
           "new one. What is ticked is sent already."));
    auto* menu = new QMenu(add);
    connect(menu, &QMenu::aboutToShow, this, [this, menu] {
        menu->clear();
        fillSendMenu(*menu, workspace_, row_);
    });
    add->setMenu(menu);
    outer->addWidget(add);
    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    lines_ = new QWidget(scroll);
    new QVBoxLayout(lines_);
    // What is at the right stays clear of the scroll bar.
    lines_->layout()->setContentsMargins(0, 0, 6, 0);
    scroll->setWidget(lines_);
    outer->addWidget(scroll, 1);
    refresh();
}

void SendList::change(const std::string& to, const std::string& gesture,
                      const std::function<void(Send&)>& how) {
    const Row* row = findRow(workspace_.session(), row_);
    const Send* known = row != nullptr ? findSend(*row, to) : nullptr;
    if (known == nullptr) return;
    Send send = *known;
    how(send);
    workspace_.setSend(row_, send, gesture);
}

NumberEdit* SendList::makeNumber(QWidget* parent, QVBoxLayout* into, int seatIndex,
                                 const QString& bus, const std::string& to, double Send::*value) {
    // A send's level and pan go as far as those of a seat, and are typed alike.
    const Parameter& p = processorType("seat").table[static_cast<std::size_t>(seatIndex)];
    const QString label = QString::fromStdString(p.label);
    auto* line = new QHBoxLayout;
    auto* number = new NumberEdit(p, parent);
    number->setObjectName(QString::fromStdString("send-" + p.id + "-" + to));
    number->setAccessibleName(tr("%1 of the send to %2").arg(label, bus));
    number->setFixedWidth(86);
    line->addWidget(new DragLabel(label, number, parent), 1);
    line->addWidget(number);
    into->addLayout(line);
    const std::string gesture = row_ + "/send/" + to + "/" + p.id;
    connect(number, &NumberEdit::moved, this, [this, to, gesture, value](double v) {
        change(to, gesture, [&](Send& send) { send.*value = v; });
    });
    connect(number, &NumberEdit::settled, this, [this] { workspace_.endGesture(); });
    connect(number, &NumberEdit::refused, &workspace_, &Workspace::refused);
    return number;
}

SendList::Line SendList::makeLine(const Send& send, const QString& bus) {
    Line made;
    made.to = send.to;
    auto* box = new QWidget(lines_);
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 4, 0, 4);
    column->setSpacing(4);
    auto* head = new QHBoxLayout;
    made.on = new ShortCheckBox(bus, box);
    made.on->setObjectName(QString::fromStdString("send-on-" + send.to));
    made.on->setAccessibleName(tr("Send to %1").arg(bus));
    connect(made.on, &QCheckBox::clicked, this,
            [this, to = send.to](bool on) { change(to, {}, [&](Send& s) { s.on = on; }); });
    auto* remove = new QPushButton(tr("Remove"), box);
    remove->setObjectName(QString::fromStdString("send-remove-" + send.to));
    remove->setAccessibleName(tr("Remove the send to %1").arg(bus));
    connect(remove, &QPushButton::clicked, this,
            [this, to = send.to] { workspace_.removeSend(row_, to); });
    head->addWidget(made.on, 1);
    head->addWidget(remove);
    column->addLayout(head);
    made.level = makeNumber(box, column, Seat::level, bus, send.to, &Send::levelDb);
    made.pan = makeNumber(box, column, Seat::pan, bus, send.to, &Send::pan);
    made.from = new QComboBox(box);
    made.from->setObjectName(QString::fromStdString("send-from-" + send.to));
    made.from->setAccessibleName(tr("Where the send to %1 is taken").arg(bus));
    made.from->setToolTip(
        tr("Before the fader it keeps its level whatever the fader does, and has "
           "no pan or width of the seat."));
    made.from->addItems({tr("after the fader"), tr("before the fader")});
    connect(made.from, &QComboBox::activated, this, [this, to = send.to](int index) {
        change(to, {}, [&](Send& s) { s.before = index == 1; });
    });
    column->addWidget(made.from);
    lines_->layout()->addWidget(box);
    return made;
}

void SendList::rebuild(const Row& row) {
    built_.clear();
    auto* layout = static_cast<QVBoxLayout*>(lines_->layout());
    while (QLayoutItem* item = layout->takeAt(0)) {
        if (item->widget() != nullptr) {
            item->widget()->hide();
            item->widget()->deleteLater();
        }
        delete item;
    }
    for (const Send& send : row.sends) {
        const Row* bus = findRow(workspace_.session(), send.to);
        built_.push_back(
            makeLine(send, QString::fromStdString(bus != nullptr ? bus->name : send.to)));
    }
    layout->addStretch(1);
}

void SendList::refresh() {
    const Row* row = findRow(workspace_.session(), row_);
    if (row == nullptr) return;
    const bool same =
        std::equal(built_.begin(), built_.end(), row->sends.begin(), row->sends.end(),
                   [](const Line& line, const Send& send) { return line.to == send.to; });
    if (!same || lines_->layout()->isEmpty()) rebuild(*row);
    for (std::size_t i = 0; i < built_.size(); ++i) {
        const Send& send = row->sends[i];
        const Line& line = built_[i];
        line.on->setChecked(send.on);
        line.from->setCurrentIndex(send.before ? 1 : 0);
        // What is being typed is not overwritten.
        if (!(line.level->hasFocus() && line.level->isModified()))
            line.level->setValue(send.levelDb);
        if (!(line.pan->hasFocus() && line.pan->isModified())) line.pan->setValue(send.pan);
    }
}

}  // namespace ember::app
