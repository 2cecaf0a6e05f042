#include "app/compare/review_dialog.h"

#include <QDialogButtonBox>
#include <QVBoxLayout>

namespace ember::app {

ReviewDialog::ReviewDialog(Workspace& workspace, Tracer& tracer, QWidget* parent)
    : QDialog(parent), workspace_(workspace), tracer_(tracer) {
    setWindowTitle(tr("Review of the chains"));
    setObjectName("review");
    resize(760, 380);
    auto* box = new QVBoxLayout(this);
    auto* title = new QLabel(tr("What stands in the chains, and perhaps should not"), this);
    title->setProperty("title", true);
    box->addWidget(title);
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
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    connect(&workspace_, &Workspace::changed, this, &ReviewDialog::fill);
    connect(&tracer_, &Tracer::traced, this, &ReviewDialog::fill);
    fill();
}

void ReviewDialog::fill() {
    std::map<std::string, RowTrace> traces;
    for (const Row& row : workspace_.session().rows) {
        if (const auto traced = tracer_.of(row.id)) traces[row.id] = *traced;
    }
    items_ = reviewChains(workspace_.session(), traces);
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
    sentence_->setText(
        items_.empty() ? tr("Nothing stands in a chain without a decision or an effect.")
                       : tr("What changes the sound though nobody decided it, what was left "
                            "behind, and rows that are muted. Enter or a double click opens it."));
}

}  // namespace ember::app
