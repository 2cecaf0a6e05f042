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
    sentence_->setText(
        items_.empty() ? tr("Nothing stands in a chain without a decision or an effect.")
                       : tr("What changes the sound though nobody decided it, and what was left "
                            "behind. Enter or a double click opens it."));
}

}  // namespace ember::app
