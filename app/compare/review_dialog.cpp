#include "app/compare/review_dialog.h"

#include "app/widgets/labels.h"
#include "core/session/reasons.h"

#include <QDialogButtonBox>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <iterator>

namespace ember::app {

ReviewDialog::ReviewDialog(Workspace& workspace, Tracer& tracer, QWidget* parent)
    : QDialog(parent), workspace_(workspace), tracer_(tracer) {
    setWindowTitle(tr("Review of the chains"));
    setObjectName("review");
    resize(760, 380);
    auto* box = new QVBoxLayout(this);
    box->addWidget(titleLabel(tr("What stands in the chains, and perhaps should not"), this));
    sentence_ = new QLabel(this);
    sentence_->setWordWrap(true);
    sentence_->setProperty("quiet", true);
    box->addWidget(sentence_);
    list_ = new QListWidget(this);
    list_->setAccessibleName(windowTitle());
    list_->setWordWrap(true);
    list_->setSpacing(2);
    connect(list_, &QListWidget::itemActivated, this, [this](QListWidgetItem* item) {
        const ReviewItem& at = items_[static_cast<std::size_t>(list_->row(item))];
        emit chosen(at.row, at.stage);
        accept();
    });
    box->addWidget(list_, 1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    reset_ = buttons->addButton(tr("Reset what nobody decided"), QDialogButtonBox::ActionRole);
    reset_->setObjectName("review-reset");
    reset_->setToolTip(
        tr("Every step that is active though nobody decided it goes off, with its "
           "defaults; one edit, which undo takes back."));
    connect(reset_, &QPushButton::clicked, this,
            [this] { workspace_.edit(withUndecidedReset(workspace_.session())); });
    unmute_ = buttons->addButton(tr("Unmute all"), QDialogButtonBox::ActionRole);
    unmute_->setObjectName("review-unmute");
    connect(unmute_, &QPushButton::clicked, this, [this] {
        Session next = workspace_.session();
        for (Row& row : next.rows) row.mute = false;
        workspace_.edit(std::move(next));
    });
    weigh_ = buttons->addButton(tr("What could go?"), QDialogButtonBox::ActionRole);
    weigh_->setObjectName("review-weigh");
    weigh_->setToolTip(
        tr("Takes every step away alone, over the loop or half a minute, and lists those without "
           "which the mix differs by less than −60 dB, and which of them could go together."));
    connect(weigh_, &QPushButton::clicked, this, [this] {
        if (weighing())
            abandon_ = true;
        else
            weigh();
    });
    blind_ = buttons->addButton(tr("Without them, blind"), QDialogButtonBox::ActionRole);
    blind_->setObjectName("review-blind");
    blind_->setToolTip(
        tr("A blind test of what there is now against the mix without all that "
           "could go together, on the Compare page."));
    connect(blind_, &QPushButton::clicked, this, [this] {
        emit blindAsked(mixWithout(shortest_.steps()));
        accept();
    });
    off_ = buttons->addButton(tr("Switch them off"), QDialogButtonBox::ActionRole);
    off_->setObjectName("review-off");
    off_->setToolTip(
        tr("All that could go together goes off; their settings stay. One edit, which "
           "undo takes back."));
    connect(off_, &QPushButton::clicked, this, [this] {
        const Session& now = workspace_.session();
        Session shorter = withStepsOff(now, shortest_.steps());
        const std::vector<Why> why = whyOfAll(now, shorter, shortestText(now, shortest_));
        workspace_.edit(std::move(shorter), {}, why);
    });
    connect(&weighing_, &QFutureWatcherBase::finished, this, &ReviewDialog::weighed);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        if (!diff.changes.empty()) {
            abandon_ = true;
            couldGo_.clear();
            shortest_ = {};
            weighedText_.clear();
        }
        fill();
    });
    connect(&tracer_, &Tracer::traced, this, &ReviewDialog::fill);
    fill();
}

ReviewDialog::~ReviewDialog() {
    abandon_ = true;
    weighing_.waitForFinished();
}

void ReviewDialog::weigh() {
    constexpr double kWeighed = 30.0;  // seconds, where no loop says otherwise
    const Session& session = workspace_.session();
    const double from = session.loop.on ? session.loop.from : 0.0,
                 to = session.loop.on ? session.loop.to : kWeighed;
    abandon_ = false;
    weigh_->setText(tr("Stop"));
    const auto told = [this](double part, const QString& row) {
        if (weighing())
            sentence_->setText(tr("Without one step after another: %1, %2 %")
                                   .arg(row)
                                   .arg(static_cast<int>(100.0 * part)));
    };
    weighing_.setFuture(QtConcurrent::run(
        [session, store = &workspace_.store(), from, to, watch = watchedBy(this, abandon_, told)] {
            return outcomeOf(tr("Stopped."), [&] {
                Weighed found;
                found.all = stepWorths(session, *store, from, to, within(watch, 0.0, 0.7));
                found.shortest =
                    shortestChain(session, *store, found.all, from, to, within(watch, 0.7, 1.0));
                return found;
            });
        }));
}

void ReviewDialog::weighed() {
    const auto result = weighing_.result();
    weigh_->setText(tr("What could go?"));
    couldGo_.clear();
    shortest_ = {};
    if (!abandon_) {
        std::copy_if(result.value.all.begin(), result.value.all.end(), std::back_inserter(couldGo_),
                     [](const StepWorth& worth) { return worth.couldGo(); });
        shortest_ = result.value.shortest;
    }
    weighedText_ =
        !result.problem.isEmpty()
            ? result.problem
            : tr("Of %1 steps %2 could go, each alone. %3")
                  .arg(result.value.all.size())
                  .arg(couldGo_.size())
                  .arg(QString::fromStdString(shortestText(workspace_.session(), shortest_)));
    fill();
}

void ReviewDialog::fill() {
    std::map<std::string, RowTrace> traces;
    for (const Row& row : workspace_.session().rows) {
        if (const auto traced = tracer_.of(row.id)) traces[row.id] = *traced;
    }
    items_ = reviewChains(workspace_.session(), traces);
    for (const StepWorth& worth : couldGo_)
        items_.push_back({ReviewItem::Kind::leftover, worth.row, worth.stage,
                          worthText(workspace_.session(), worth)});
    const int at = list_->currentRow();
    list_->clear();
    for (const ReviewItem& item : items_) list_->addItem(QString::fromStdString(item.sentence));
    list_->setCurrentRow(std::clamp(at, 0, std::max(0, list_->count() - 1)));
    const auto any = [&](ReviewItem::Kind kind) {
        return std::any_of(items_.begin(), items_.end(),
                           [&](const ReviewItem& item) { return item.kind == kind; });
    };
    reset_->setEnabled(any(ReviewItem::Kind::active));
    unmute_->setEnabled(any(ReviewItem::Kind::muted));
    blind_->setEnabled(!shortest_.go.empty());
    off_->setEnabled(!shortest_.go.empty());
    if (!weighedText_.isEmpty()) return sentence_->setText(weighedText_);
    sentence_->setText(
        items_.empty() ? tr("Nothing stands in a chain without a decision or an effect.")
                       : tr("What changes the sound though nobody decided it, what was left "
                            "behind, and rows that are muted. Enter or a double click opens it."));
}

}  // namespace ember::app
