#include "app/kit/logbook_dialog.h"

#include <QDateTime>
#include <QDialogButtonBox>
#include <QFontMetrics>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QTimer>
#include <QVBoxLayout>

namespace ember::app {

LogbookDialog::LogbookDialog(Workspace& workspace, QWidget* parent)
    : QDialog(parent), workspace_(workspace) {
    setWindowTitle(tr("Logbook"));
    setObjectName("logbook");
    resize(1080, 600);
    auto* box = new QVBoxLayout(this);
    auto* title = new QLabel(tr("What was done, the latest first"), this);
    title->setProperty("title", true);
    box->addWidget(title);
    auto* line = new QHBoxLayout;
    find_ = new QLineEdit(this);
    find_->setObjectName("logbook-find");
    const QString asked = tr("Show only lines with these words");
    find_->setPlaceholderText(asked);
    find_->setAccessibleName(asked);
    find_->setClearButtonEnabled(true);
    line->addWidget(find_, 1);
    count_ = new QLabel(this);
    count_->setProperty("quiet", true);
    line->addWidget(count_);
    box->addLayout(line);
    table_ = new QTableWidget(0, 3, this);
    table_->setObjectName("logbook-lines");
    table_->setAccessibleName(windowTitle());
    table_->setHorizontalHeaderLabels({tr("When"), tr("What"), tr("Why")});
    table_->verticalHeader()->hide();
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setAlternatingRowColors(true);
    table_->setShowGrid(false);
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
    table_->horizontalHeader()->setSectionResizeMode(2, QHeaderView::Stretch);
    box->addWidget(table_, 1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    connect(find_, &QLineEdit::textChanged, this, &LogbookDialog::fill);
    connect(&workspace_, &Workspace::changed, this, &LogbookDialog::fill);
    connect(&workspace_, &Workspace::opened, this, &LogbookDialog::fill);
    fill();
    find_->setFocus();
}

void LogbookDialog::fill() {
    const std::vector<LogEntry>& log = workspace_.document().log();
    const QStringList words = find_->text().split(' ', Qt::SkipEmptyParts);
    table_->setRowCount(0);
    QString above;
    for (auto entry = log.rbegin(); entry != log.rend(); ++entry) {
        const QString said = QString::fromStdString(entry->what.text),
                      reason = QString::fromStdString(entry->reason), text = said + " " + reason;
        const bool all = std::all_of(words.begin(), words.end(), [&](const QString& word) {
            return text.contains(word, Qt::CaseInsensitive);
        });
        if (!all) continue;
        const int row = table_->rowCount();
        table_->insertRow(row);
        const QDateTime when = QDateTime::fromSecsSinceEpoch(entry->time);
        table_->setItem(row, 0, new QTableWidgetItem(when.toString("yyyy-MM-dd  hh:mm:ss")));
        const auto put = [&](int column, const QString& cell) {
            auto* item = new QTableWidgetItem(cell);
            item->setToolTip(cell);
            table_->setItem(row, column, item);
        };
        put(1, said);
        // Once for all that one proposal did.
        put(2, reason == above ? QString() : reason);
        above = reason;
    }
    fitRows();
    count_->setText(log.empty() ? tr("Nothing was done yet.")
                                : tr("%1 of %2 lines").arg(table_->rowCount()).arg(log.size()));
}

void LogbookDialog::resizeEvent(QResizeEvent* event) {
    QDialog::resizeEvent(event);
    // The columns have their widths once the table was laid out.
    QTimer::singleShot(0, this, &LogbookDialog::fitRows);
}

// Reasons take as many lines as they need; everything else takes one.
void LogbookDialog::fitRows() {
    constexpr int kBeside = 12, kAbove = 14;  // what the look leaves free in a cell
    const QFontMetrics metrics(table_->font());
    const QRect cell(0, 0, table_->columnWidth(2) - kBeside, 1000);
    for (int row = 0; row < table_->rowCount(); ++row) {
        const QString reason = table_->item(row, 2)->text();
        if (reason.isEmpty()) continue;
        table_->setRowHeight(
            row, kAbove + metrics.boundingRect(cell, Qt::TextWordWrap, reason).height());
    }
}

}  // namespace ember::app
