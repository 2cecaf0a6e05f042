#include "app/flow/bleed_advice.h"

#include "app/widgets/figures.h"
#include "app/widgets/labels.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

namespace ember::app {

BleedAdvice::BleedAdvice(Workspace& workspace, Listener& listener, QWidget* parent)
    : QWidget(parent), workspace_(workspace), listener_(listener) {
    auto* box = new QVBoxLayout(this);
    // Room for the bar of the area it scrolls in.
    box->setContentsMargins(0, 0, 14, 0);
    box->setSpacing(6);
    box->addWidget(titleLabel(tr("Advice"), this));
    auto* head = new QHBoxLayout;
    head->setSpacing(6);
    school_ = new QComboBox(this);
    school_->setObjectName("bleed-school");
    school_->setAccessibleName(tr("Way of working with bleed"));
    school_->addItems({tr("natural"), tr("clean")});
    school_->setToolTip(
        tr("Natural: bleed is part of the kit; half of what stands in the way goes. Clean: it is "
           "taken before equalisers and compressors lift it, and the kick leaves the overheads."));
    head->addWidget(school_, 1);
    propose_ = namedButton(tr("Propose …"), "bleed-propose",
                           tr("Listens to every drum in every microphone over the fullest 16 "
                              "seconds and proposes what may go, with what it costs."),
                           this);
    head->addWidget(propose_);
    box->addLayout(head);
    title_ = new QLabel(this);
    title_->setObjectName("bleed-proposal");
    QFont bold = title_->font();
    bold.setWeight(QFont::DemiBold);
    title_->setFont(bold);
    box->addWidget(title_);
    reason_ = new QLabel(this);
    reason_->setObjectName("bleed-reason");
    reason_->setWordWrap(true);
    effects_ = new QWidget(this);
    lines_ = new QGridLayout(effects_);
    lines_->setContentsMargins(0, 2, 0, 2);
    lines_->setHorizontalSpacing(8);
    lines_->setVerticalSpacing(2);
    lines_->setColumnStretch(0, 1);
    box->addWidget(effects_);
    state_ = quietLabel(this, "bleed-advice-state");
    box->addWidget(state_);
    worth_ = quietLabel(this, "bleed-worth");
    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(6);
    accept_ = namedButton(tr("Accept"), "bleed-accept",
                          tr("Turns the drums of this microphone as proposed and measures what it "
                             "did."),
                          this);
    decline_ = namedButton(tr("Decline"), "bleed-decline",
                           tr("It is not proposed again; undo brings it back."), this);
    all_ = namedButton({}, "bleed-accept-all",
                       tr("Everything that is still proposed for the bleed, as one edit."), this);
    for (QPushButton* button : {accept_, decline_, all_}) buttons->addWidget(button);
    box->addLayout(buttons);
    box->addWidget(reason_);
    box->addWidget(worth_);
    box->addStretch(1);
    connect(school_, &QComboBox::activated, this, [this](int index) {
        workspace_.attempt([&] {
            return withWay(workspace_.session(), "bleed", index == 0 ? "natural" : "clean");
        });
        if (asked_) listener_.listenToBleed();
    });
    connect(propose_, &QPushButton::clicked, this, [this] {
        asked_ = true;
        listener_.listenToBleed();
    });
    connect(accept_, &QPushButton::clicked, this, [this] {
        if (const Proposal* p = listener_.proposalOf(row_, "bleed")) listener_.accept(*p);
    });
    connect(decline_, &QPushButton::clicked, this, [this] {
        if (const Proposal* p = listener_.proposalOf(row_, "bleed")) listener_.decline(*p);
    });
    connect(all_, &QPushButton::clicked, this, [this] { listener_.acceptAll("bleed"); });
    connect(&listener_, &Listener::changed, this, &BleedAdvice::refresh);
    connect(&workspace_, &Workspace::opened, this, [this] { asked_ = false; });
    refresh();
}

void BleedAdvice::show(const std::string& row, bool ready) {
    row_ = row;
    ready_ = ready;
    refresh();
}

void BleedAdvice::fillEffects(const Proposal* proposal) {
    while (QLayoutItem* item = lines_->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    const bool any = proposal != nullptr && !proposal->effects.empty();
    effects_->setVisible(any);
    if (!any) return;
    const auto put = [&](int line, int column, const QString& text, const QString& tip,
                         bool quiet) {
        auto* label = new QLabel(text, effects_);
        label->setProperty("quiet", quiet);
        label->setToolTip(tip);
        label->setAlignment((column == 0 ? Qt::AlignLeft : Qt::AlignRight) | Qt::AlignVCenter);
        lines_->addWidget(label, line, column);
        label->show();
    };
    put(0, 0, tr("dB"), {}, true);
    put(0, 1, tr("foretold"), {}, true);
    put(0, 2, tr("is"), tr("Measured after it was accepted."), true);
    int line = 1;
    for (const Effect& e : proposal->effects) {
        const auto whole = [](const std::optional<double>& v) {
            return v ? figure(*v, 0) : QStringLiteral("–");
        };
        const QString tip =
            tr("%1: %2 before, %3 foretold, %4 measured, %5")
                .arg(QString::fromStdString(e.what), e.before ? figure(*e.before) : tr("unknown"),
                     e.predicted ? figure(*e.predicted) : tr("unknown"),
                     e.measured ? figure(*e.measured) : tr("not yet"),
                     QString::fromStdString(e.unit));
        put(line, 0, QString::fromStdString(e.what), tip, true);
        // What has no before is a change.
        put(line, 1,
            e.before ? tr("%1 → %2").arg(whole(e.before), whole(e.predicted))
                     : change(*e.predicted),
            tip, false);
        put(line, 2, e.before || !e.measured ? whole(e.measured) : change(*e.measured), tip, false);
        ++line;
    }
}

void BleedAdvice::refresh() {
    school_->setCurrentIndex(static_cast<int>(wayOf(workspace_.session().ways, "bleed")));
    const bool listening = listener_.listeningToBleed();
    propose_->setEnabled(ready_ && !listening);
    const Proposal* proposal = listener_.proposalOf(row_, "bleed");
    const bool done = proposal != nullptr && listener_.accepted(*proposal);
    title_->setVisible(proposal != nullptr);
    reason_->setVisible(proposal != nullptr);
    if (proposal != nullptr) {
        title_->setText(QString::fromStdString(proposal->title));
        reason_->setText(QString::fromStdString(proposal->reason));
    }
    fillEffects(proposal);
    const std::size_t open = listener_.open("bleed").size();
    const Row* row = findRow(workspace_.session(), row_);
    state_->setText(listening ? tr("Every drum is being listened to …")
                    : done    ? tr("Accepted.")
                    : proposal != nullptr || !asked_ || row == nullptr ? QString()
                    : open > 0
                        ? tr("Nothing is proposed for %1.").arg(QString::fromStdString(row->name))
                        : tr("Nothing is left to propose for the bleed."));
    state_->setVisible(!state_->text().isEmpty());
    const MicWorth* worth = listener_.worthOf(row_);
    worth_->setVisible(worth != nullptr);
    if (worth != nullptr)
        worth_->setText(
            tr("In the mix: %1")
                .arg(QString::fromStdString(worthSentence(workspace_.session(), *worth))));
    accept_->setVisible(proposal != nullptr && !done);
    decline_->setVisible(proposal != nullptr && !done);
    all_->setVisible(open > 1 || (open == 1 && (proposal == nullptr || done)));
    all_->setText(tr("All (%1)").arg(open));
}

}  // namespace ember::app
