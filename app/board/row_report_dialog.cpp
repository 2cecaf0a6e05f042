#include "app/board/row_report_dialog.h"

#include "app/widgets/labels.h"
#include "app/widgets/quiet_table.h"
#include "core/base/background.h"
#include "core/base/error.h"
#include "core/session/reasons.h"

#include <QHBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <utility>

namespace ember::app {

LoopSpan spanHere(const Session& session, const Player& player) {
    constexpr double kSeconds = 30.0;
    if (session.loop.on) return session.loop;
    return {true, player.position(), player.position() + kSeconds};
}

RowReportDialog::RowReportDialog(Workspace& workspace, Player& player, RowReportKind kind,
                                 QWidget* parent)
    : QDialog(parent), workspace_(workspace), player_(player), kind_(std::move(kind)) {
    setWindowTitle(kind_.title);
    setObjectName(kind_.object);
    resize(640, 500);
    auto* box = new QVBoxLayout(this);
    box->addWidget(titleLabel(kind_.title, this));
    sentence_ = new QLabel(this);
    sentence_->setObjectName("report-sentence");
    sentence_->setWordWrap(true);
    sentence_->setMinimumHeight(60);
    sentence_->setAlignment(Qt::AlignTop);
    box->addWidget(sentence_);
    table_ = quietTable(kind_.heads, this);
    table_->setAccessibleName(kind_.title);
    for (int c = 0; c < kind_.tips.size(); ++c)
        table_->horizontalHeaderItem(c)->setToolTip(kind_.tips[c]);
    connect(table_, &QTableWidget::itemChanged, this, &RowReportDialog::type);
    box->addWidget(table_, 1);
    if (kind_.hearing) buildHearing(box);
    buttons_ = new QDialogButtonBox(QDialogButtonBox::Close, this);
    connect(buttons_, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons_);
    connect(&running_, &QFutureWatcherBase::finished, this, &RowReportDialog::finish);
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        if (diff.rows.empty() && !diff.structural) {
            if (!measuring() && shown_.again) put(shown_.again(workspace_.session()));
            return;
        }
        if (!measuring()) return measure();
        again_ = abandon_ = true;
    });
    measure();
}

RowReportDialog::~RowReportDialog() {
    if (hears()) player_.preview({});
    abandon_ = true;
    running_.waitForFinished();
}

// A line that is chosen while it is on is heard.
void RowReportDialog::buildHearing(QVBoxLayout* box) {
    auto* line = new QHBoxLayout;
    hear_ = namedButton(kind_.hearing->text, "report-hear", kind_.hearing->help, this);
    hear_->setCheckable(true);
    hear_->setEnabled(false);
    line->addWidget(hear_);
    dim_ = new QSpinBox(this);
    dim_->setObjectName("report-dim");
    dim_->setRange(0, 40);
    dim_->setValue(static_cast<int>(kind_.hearing->dimDb));
    dim_->setPrefix(tr("dimmed by "));
    dim_->setSuffix(tr(" dB"));
    dim_->setAccessibleName(tr("By how much less loud than the mix it is heard"));
    line->addWidget(dim_);
    line->addStretch(1);
    box->addLayout(line);
    connect(hear_, &QPushButton::clicked, this, [this](bool on) {
        if (!on) return player_.preview({});
        hear();
        if (!player_.playing()) player_.play();
    });
    const auto anew = [this] {
        if (hears() && !filling_) hear();
    };
    connect(dim_, &QSpinBox::valueChanged, this, anew);
    connect(table_, &QTableWidget::currentCellChanged, this, anew);
    // Something else is heard instead, or the mix again.
    connect(&player_, &Player::previewChanged, this, [this](bool heard) {
        if (!heard) hear_->setChecked(false);
    });
}

void RowReportDialog::hear() {
    const int line = table_->currentRow();
    if (line < 0) return;
    ReportSound sound = kind_.hearing->sound(workspace_.session(), static_cast<std::size_t>(line));
    player_.preview(std::move(sound.session), sound.gainDb - dim_->value());
}

void RowReportDialog::measure() {
    again_ = abandon_ = false;
    const LoopSpan span = spanHere(workspace_.session(), player_);
    const auto tell = [this](double part, const QString& what) {
        if (measuring())
            sentence_->setText(tr("%1, %2 %").arg(what).arg(static_cast<int>(100.0 * part)));
    };
    offer({});
    running_.setFuture(
        QtConcurrent::run([session = workspace_.session(), store = &workspace_.store(),
                           make = kind_.make, span, watch = watchedBy(this, abandon_, tell)] {
            stepBack();
            return outcomeOf(QString(),
                             [&] { return make(session, *store, span.from, span.to, watch); });
        }));
}

void RowReportDialog::finish() {
    if (again_) return measure();
    if (abandon_) return;
    auto found = running_.result();
    if (found.problem.isEmpty()) return put(std::move(found.value));
    shown_ = {};
    table_->setRowCount(0);
    if (hear_ != nullptr) hear_->setEnabled(false);
    sentence_->setText(found.problem);
}

void RowReportDialog::put(RowReport report) {
    filling_ = true;
    const int at = table_->currentRow(), column = table_->currentColumn();
    shown_ = std::move(report);
    sentence_->setText(shown_.sentence);
    table_->setRowCount(0);
    table_->setEditTriggers(shown_.typed ? QAbstractItemView::AnyKeyPressed |
                                               QAbstractItemView::EditKeyPressed |
                                               QAbstractItemView::DoubleClicked
                                         : QAbstractItemView::NoEditTriggers);
    for (const QStringList& cells : shown_.lines) {
        const int line = table_->rowCount();
        table_->insertRow(line);
        for (int c = 0; c < cells.size(); ++c) {
            putText(table_, line, c, cells[c], {}, c > 0);
            QTableWidgetItem& item = *table_->item(line, c);
            const bool typed = shown_.typed && c + 1 == cells.size();
            item.setFlags(typed ? item.flags() | Qt::ItemIsEditable
                                : item.flags() & ~Qt::ItemIsEditable);
        }
    }
    if (at >= 0)
        table_->setCurrentCell(std::min(at, table_->rowCount() - 1), column);
    else if (hear_ != nullptr)
        table_->setCurrentCell(static_cast<int>(shown_.line), 0);
    if (hear_ != nullptr) hear_->setEnabled(table_->rowCount() > 0);
    filling_ = false;
    offer(shown_.remedies);
}

void RowReportDialog::type(const QTableWidgetItem* item) {
    if (filling_ || !shown_.typed || item->column() + 1 != table_->columnCount()) return;
    const auto line = static_cast<std::size_t>(item->row());
    const std::string text = item->text().trimmed().toStdString();
    // Queued: the edit of the cell is over only after this, and what is shown again deletes it.
    QMetaObject::invokeMethod(
        this,
        [this, line, text] {
            workspace_.attempt([&] { return shown_.typed(workspace_.session(), line, text); });
            if (!measuring() && shown_.again) put(shown_.again(workspace_.session()));
        },
        Qt::QueuedConnection);
}

void RowReportDialog::offer(const std::vector<ReportRemedy>& remedies) {
    for (QPushButton* old : remedies_) delete old;
    remedies_.clear();
    for (const ReportRemedy& remedy : remedies) {
        QPushButton* button = buttons_->addButton(remedy.text, QDialogButtonBox::ActionRole);
        button->setObjectName(remedy.object);
        button->setToolTip(remedy.help);
        // Queued: the edit measures anew, and that takes the button away.
        connect(
            button, &QPushButton::clicked, this, [this, remedy] { make(remedy); },
            Qt::QueuedConnection);
        remedies_.push_back(button);
    }
}

// One edit; every place that it changes is logged with the reason.
void RowReportDialog::make(const ReportRemedy& remedy) {
    try {
        const Session& now = workspace_.session();
        Session next = remedy.make(now);
        const std::vector<Why> why = whyOfAll(now, next, remedy.reason);
        workspace_.edit(std::move(next), {}, why);
    } catch (const Error& error) {
        emit workspace_.refused(QString::fromUtf8(error.what()));
    }
}

void showRowReport(Workspace& workspace, Player& player, RowReportKind kind, QWidget* parent) {
    auto* dialog = new RowReportDialog(workspace, player, std::move(kind), parent);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->show();
}

}  // namespace ember::app
