#include "app/logbook/logbook_page.h"

#include "app/widgets/figures.h"
#include "app/widgets/labels.h"

#include <QDateTime>
#include <QFontMetrics>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QTimer>
#include <QVBoxLayout>

#include <algorithm>

namespace ember::app {
namespace {

constexpr int kWhen = 0, kWhat = 1, kWhy = 2;
// Of a session's thousands of lines, as many as somebody reads; a word to look for finds the rest.
constexpr int kMostLines = 500;

}  // namespace

LogbookPage::LogbookPage(Workspace& workspace, Player& player, Listener& listener, QWidget* parent)
    : QWidget(parent), workspace_(workspace), player_(player) {
    setObjectName("logbook-page");
    auto* across = new QHBoxLayout(this);
    across->setContentsMargins(14, 8, 14, 8);
    across->setSpacing(14);
    across->addWidget(makeLines(), 1);
    deliver_ = new DeliverPanel(workspace, listener, this);
    deliver_->setFixedWidth(330);
    across->addWidget(deliver_);
    const auto again = [this] {
        if (isVisible()) fill();
    };
    connect(&workspace_, &Workspace::changed, this, again);
    connect(&workspace_, &Workspace::opened, this, again);
}

QWidget* LogbookPage::makeLines() {
    auto* lines = new QWidget(this);
    auto* box = new QVBoxLayout(lines);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    box->addWidget(titleLabel(tr("What was done, the latest first"), lines));
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    find_ = new QLineEdit(lines);
    find_->setObjectName("logbook-find");
    const QString asked = tr("Show only lines with these words");
    find_->setPlaceholderText(asked);
    find_->setAccessibleName(asked);
    find_->setClearButtonEnabled(true);
    connect(find_, &QLineEdit::textChanged, this, &LogbookPage::fill);
    line->addWidget(find_, 1);
    kind_ = new QComboBox(lines);
    kind_->setObjectName("logbook-kind");
    kind_->setAccessibleName(tr("Which lines"));
    kind_->addItems({tr("Everything"), tr("Notes"), tr("With a reason"), tr("Without a reason")});
    connect(kind_, &QComboBox::activated, this, &LogbookPage::fill);
    line->addWidget(kind_);
    row_ = new QComboBox(lines);
    row_->setObjectName("logbook-row");
    row_->setAccessibleName(tr("About which row"));
    connect(row_, &QComboBox::activated, this, &LogbookPage::fill);
    line->addWidget(row_);
    auto* work = namedButton(tr("Work order"), "logbook-work",
                             tr("How far the work is, by row and step, and the minutes it took "
                                "(Ctrl+Alt+L)."),
                             lines);
    connect(work, &QPushButton::clicked, this, &LogbookPage::workAsked);
    line->addWidget(work);
    box->addLayout(line);
    table_ = new QTableWidget(0, 3, lines);
    table_->setObjectName("logbook-lines");
    table_->setAccessibleName(tr("Logbook"));
    table_->setToolTip(tr("Enter or a double click on a reason writes it."));
    table_->setHorizontalHeaderLabels({tr("When"), tr("What"), tr("Why")});
    table_->verticalHeader()->hide();
    table_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed);
    table_->setTabKeyNavigation(false);
    table_->setAlternatingRowColors(true);
    table_->setShowGrid(false);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->horizontalHeader()->setSectionResizeMode(kWhen, QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setSectionResizeMode(kWhat, QHeaderView::Stretch);
    table_->horizontalHeader()->setSectionResizeMode(kWhy, QHeaderView::Stretch);
    connect(table_, &QTableWidget::itemChanged, this, &LogbookPage::explained);
    connect(table_, &QTableWidget::itemActivated, this, [this](QTableWidgetItem* item) {
        if (item->column() == kWhy) table_->editItem(item);
    });
    box->addWidget(table_, 1);
    count_ = new QLabel(lines);
    count_->setProperty("quiet", true);
    box->addWidget(count_);
    auto* own = new QHBoxLayout;
    own->setSpacing(6);
    note_ = new QLineEdit(lines);
    note_->setObjectName("logbook-note");
    const QString ownLine = tr("A line of your own");
    note_->setPlaceholderText(ownLine);
    note_->setAccessibleName(ownLine);
    connect(note_, &QLineEdit::returnPressed, this, &LogbookPage::writeDown);
    own->addWidget(note_, 1);
    about_ = new QComboBox(lines);
    about_->setObjectName("logbook-about");
    about_->setAccessibleName(tr("What the line is about"));
    about_->setToolTip(tr("What the line is about: everything, this place of the song, or a row."));
    own->addWidget(about_);
    auto* write = new QPushButton(tr("Write it down"), lines);
    write->setObjectName("logbook-write");
    connect(write, &QPushButton::clicked, this, &LogbookPage::writeDown);
    own->addWidget(write);
    box->addLayout(own);
    return lines;
}

void LogbookPage::find() {
    find_->setFocus();
    find_->selectAll();
}

void LogbookPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    fill();
}

void LogbookPage::fillRows() {
    const QVariant row = row_->currentData(), about = about_->currentData();
    row_->clear();
    about_->clear();
    row_->addItem(tr("Every row"), QString());
    about_->addItem(tr("About everything"), QString());
    about_->addItem(tr("About this place"), QStringLiteral("@"));
    for (const Row& r : workspace_.session().rows) {
        const QString name = QString::fromStdString(r.name), id = QString::fromStdString(r.id);
        row_->addItem(name, id);
        about_->addItem(name, id);
    }
    row_->setCurrentIndex(std::max(0, row_->findData(row)));
    about_->setCurrentIndex(std::max(0, about_->findData(about)));
}

bool LogbookPage::wanted(const LogEntry& entry) const {
    const int kind = kind_->currentIndex();
    if (kind == notes && !entry.note) return false;
    if (kind == decisions && (entry.note || entry.reason.empty())) return false;
    // What is about no row is no decision.
    if (kind == unexplained && (entry.note || !entry.reason.empty() || entry.what.row.empty()))
        return false;
    const std::string row = row_->currentData().toString().toStdString();
    if (!row.empty() && entry.what.row != row) return false;
    const QString text = QString::fromStdString(entry.what.text + " " + entry.reason);
    const QStringList words = find_->text().split(' ', Qt::SkipEmptyParts);
    return std::all_of(words.begin(), words.end(), [&](const QString& word) {
        return text.contains(word, Qt::CaseInsensitive);
    });
}

void LogbookPage::fill() {
    fillRows();
    const std::vector<LogEntry>& log = workspace_.document().log();
    const QSignalBlocker quiet(table_);
    table_->setRowCount(0);
    QString above;
    int matching = 0;
    for (std::size_t i = log.size(); i-- > 0;) {
        const LogEntry& entry = log[i];
        if (!wanted(entry) || ++matching > kMostLines) continue;
        const int row = table_->rowCount();
        table_->insertRow(row);
        const auto put = [&](int column, const QString& text, const QString& tip, bool editable) {
            auto* item = new QTableWidgetItem(text);
            item->setToolTip(tip);
            item->setData(Qt::UserRole, static_cast<qulonglong>(i));
            if (!editable) item->setFlags(item->flags() & ~Qt::ItemIsEditable);
            table_->setItem(row, column, item);
        };
        const QString when =
            QDateTime::fromSecsSinceEpoch(entry.time).toString("yyyy-MM-dd  hh:mm:ss");
        put(kWhen, when, when, false);
        QString said = QString::fromStdString(entry.what.text);
        if (entry.note) {
            const Row* about = findRow(workspace_.session(), entry.what.row);
            if (about != nullptr) said = QString::fromStdString(about->name) + " · " + said;
            if (entry.at) said = tr("%1 s · ").arg(figure(*entry.at)) + said;
            said = tr("Note: %1").arg(said);
        }
        put(kWhat, said, said, false);
        const QString reason = QString::fromStdString(entry.reason);
        // Once for all that one proposal did.
        put(kWhy, reason == above ? QString() : reason, reason, !entry.note);
        above = reason;
    }
    fitRows();
    count_->setText(log.empty()
                        ? tr("Nothing was done yet.")
                        : tr("%1 of %2 lines%3")
                              .arg(table_->rowCount())
                              .arg(log.size())
                              .arg(matching > kMostLines ? tr("; look for words to find older ones")
                                                         : QString()));
}

void LogbookPage::explained(const QTableWidgetItem* item) {
    if (item->column() != kWhy) return;
    // The table is filled anew, which must not happen while it is still being edited.
    QTimer::singleShot(
        0, this,
        [this, line = static_cast<std::size_t>(item->data(Qt::UserRole).toULongLong()),
         reason = item->text().trimmed().toStdString()] {
            if (line < workspace_.document().log().size()) workspace_.explain(line, reason);
        });
}

void LogbookPage::writeDown() {
    const std::string text = note_->text().trimmed().toStdString(),
                      about = about_->currentData().toString().toStdString();
    const bool place = about == "@";
    workspace_.addNote(text, place ? std::string() : about, {},
                       place ? std::optional(player_.position()) : std::nullopt);
    if (!text.empty()) note_->clear();
}

void LogbookPage::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    // The columns have their widths once the table was laid out.
    QTimer::singleShot(0, this, &LogbookPage::fitRows);
}

// Texts take as many lines as they need.
void LogbookPage::fitRows() {
    constexpr int kBeside = 12, kAbove = 14;  // what the look leaves free in a cell
    const QFontMetrics metrics(table_->font());
    for (int row = 0; row < table_->rowCount(); ++row) {
        int high = 0;
        for (const int column : {kWhat, kWhy}) {
            const QRect cell(0, 0, table_->columnWidth(column) - kBeside, 1000);
            high = std::max(
                high,
                metrics.boundingRect(cell, Qt::TextWordWrap, table_->item(row, column)->text())
                    .height());
        }
        table_->setRowHeight(row, kAbove + high);
    }
}

}  // namespace ember::app
