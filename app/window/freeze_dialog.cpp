#include "app/window/freeze_dialog.h"

#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "app/widgets/quiet_table.h"
#include "core/base/background.h"
#include "core/engine/print_row.h"
#include "core/session/recipe.h"

#include <QDialogButtonBox>
#include <QHeaderView>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>

namespace ember::app {

FreezeDialog::FreezeDialog(Workspace& workspace, Player& player, Printer& printer, QWidget* parent)
    : QDialog(parent), workspace_(workspace), player_(player), printer_(printer) {
    setWindowTitle(tr("Freeze rows"));
    setObjectName("freeze");
    resize(620, 520);
    auto* box = new QVBoxLayout(this);
    box->addWidget(titleLabel(tr("What the machine need not work out again"), this));
    auto* why = new QLabel(
        tr("A frozen row plays audio that was printed of it, in place of its chain. Fader, pan, "
           "width, mute and sends stay live. An edit that changes its sound lets it play live "
           "again; taken back, the print serves again. What is heard in nothing but a frozen bus "
           "rests."),
        this);
    why->setWordWrap(true);
    why->setProperty("quiet", true);
    box->addWidget(why);
    table_ = quietTable({tr("Row"), tr("Live it takes"), tr("Now")}, this);
    table_->setAccessibleName(windowTitle());
    // The longest that is said there, whatever is there now.
    table_->horizontalHeader()->setSectionResizeMode(2, QHeaderView::Fixed);
    table_->setColumnWidth(2, 230);
    table_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    table_->horizontalHeaderItem(1)->setToolTip(tr("Of one core of this machine, measured on it."));
    connect(table_, &QTableWidget::itemSelectionChanged, this, &FreezeDialog::enable);
    box->addWidget(table_, 1);
    progress_ = new QProgressBar(this);
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    box->addWidget(progress_);
    sentence_ = new QLabel(this);
    sentence_->setObjectName("freeze-sentence");
    sentence_->setWordWrap(true);
    sentence_->setMinimumHeight(20);
    box->addWidget(sentence_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    freeze_ = buttons->addButton(tr("Freeze"), QDialogButtonBox::ActionRole);
    freeze_->setObjectName("freeze-go");
    freeze_->setDefault(true);
    freeze_->setToolTip(tr("Prints what is chosen, anew where it was printed before; one edit."));
    connect(freeze_, &QPushButton::clicked, this, [this] {
        abandon_ = true;
        printer_.freeze(chosen());
        enable();
    });
    live_ = buttons->addButton(tr("Play live"), QDialogButtonBox::ActionRole);
    live_->setObjectName("freeze-live");
    live_->setToolTip(tr("What is chosen plays its chain again; undo brings the print back."));
    connect(live_, &QPushButton::clicked, this, [this] { printer_.playLive(chosen()); });
    cancel_ = buttons->addButton(tr("Cancel"), QDialogButtonBox::ActionRole);
    cancel_->setObjectName("freeze-cancel");
    cancel_->setToolTip(tr("Stops printing; what is printed by then is frozen."));
    connect(cancel_, &QPushButton::clicked, &printer_, &Printer::cancel);
    tidy_ = buttons->addButton(tr("Delete old prints"), QDialogButtonBox::ResetRole);
    tidy_->setObjectName("freeze-tidy");
    tidy_->setToolTip(
        tr("Deletes prints beside this session that nothing plays any more: neither it nor what it "
           "may be undone to, nor the save before it, nor another session in its folder."));
    connect(tidy_, &QPushButton::clicked, this, &FreezeDialog::deleteOld);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    connect(&printer_, &Printer::progressed, this, [this](double part, const QString& what) {
        progress_->setValue(static_cast<int>(1000.0 * part));
        sentence_->setText(what);
    });
    connect(&printer_, &Printer::ended, this, [this](const QString& sentence) {
        progress_->setValue(0);
        sentence_->setText(sentence);
        enable();
    });
    connect(&workspace_, &Workspace::changed, this, &FreezeDialog::fill);
    connect(&player_, &Player::planReady, this, &FreezeDialog::fill);
    connect(&timing_, &QFutureWatcherBase::finished, this, [this] {
        const auto found = timing_.result();
        for (const RowCost& cost : found.value) costs_[cost.row] = cost.share;
        if (!printer_.busy()) {
            progress_->setValue(0);
            sentence_->setText(found.problem);
        }
        fill();
    });
    fill();
    measure();
}

FreezeDialog::~FreezeDialog() {
    abandon_ = true;
    timing_.waitForFinished();
}

void FreezeDialog::measure() {
    const auto tell = [this](double part, const QString& what) {
        if (printer_.busy()) return;
        progress_->setValue(static_cast<int>(1000.0 * part));
        sentence_->setText(what);
    };
    timing_.setFuture(
        QtConcurrent::run([session = workspace_.session(), store = &workspace_.store(),
                           from = player_.position(), watch = watchedBy(this, abandon_, tell)] {
            stepBack();
            return outcomeOf(tr("What rows take was not measured to its end."),
                             [&] { return rowCosts(session, *store, from, 4.0, watch); });
        }));
}

QString FreezeDialog::stateOf(const Row& row) const {
    if (QString gives = player_.givesText(row.id); !gives.isEmpty()) return gives;
    if (!row.frozen) return tr("live");
    return printFits(workspace_.session(), row) ? tr("live")
                                                : tr("live, changed since it was printed");
}

void FreezeDialog::fill() {
    const Session& session = workspace_.session();
    std::vector<std::string> rows;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::main && row.kind != RowKind::reference) rows.push_back(row.id);
    }
    // What is chosen stays chosen while the rows are the same.
    if (rows != rows_) {
        rows_ = std::move(rows);
        table_->setRowCount(static_cast<int>(rows_.size()));
        table_->selectRow(0);
    }
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        const Row& row = *findRow(session, rows_[i]);
        const int line = static_cast<int>(i);
        const auto cost = costs_.find(row.id);
        putText(table_, line, 0, QString::fromStdString(row.name), {}, false);
        putText(table_, line, 1,
                cost == costs_.end() ? QString() : tr("%1 %").arg(figure(100.0 * cost->second)));
        putText(table_, line, 2, stateOf(row), {}, false);
    }
    enable();
}

std::vector<std::string> FreezeDialog::chosen() const {
    std::vector<std::string> out;
    for (const QModelIndex& index : table_->selectionModel()->selectedRows()) {
        if (const auto at = static_cast<std::size_t>(index.row()); at < rows_.size())
            out.push_back(rows_[at]);
    }
    std::sort(out.begin(), out.end(), [this](const std::string& a, const std::string& b) {
        return std::find(rows_.begin(), rows_.end(), a) < std::find(rows_.begin(), rows_.end(), b);
    });
    return out;
}

void FreezeDialog::enable() {
    const std::vector<std::string> rows = chosen();
    const bool busy = printer_.busy();
    freeze_->setEnabled(!rows.empty() && !busy);
    live_->setEnabled(std::any_of(rows.begin(), rows.end(), [this](const std::string& id) {
        const Row* row = findRow(workspace_.session(), id);
        return row != nullptr && row->frozen.has_value();
    }));
    cancel_->setEnabled(busy);
    tidy_->setEnabled(!busy && !workspace_.path().isEmpty());
}

void FreezeDialog::deleteOld() {
    std::uintmax_t bytes = 0;
    int deleted = 0;
    for (const std::filesystem::path& file :
         oldPrints(workspace_.document(), workspace_.path().toStdString())) {
        std::error_code failed;
        const std::uintmax_t size = std::filesystem::file_size(file, failed);
        if (failed || !std::filesystem::remove(file, failed)) continue;
        bytes += size;
        ++deleted;
    }
    sentence_->setText(deleted == 0 ? tr("Every print is still needed.")
                                    : tr("Old prints deleted: %1, %2 MB.")
                                          .arg(deleted)
                                          .arg(figure(static_cast<double>(bytes) / 1e6)));
}

}  // namespace ember::app
