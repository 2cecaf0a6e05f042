#include "app/board/row_report_dialog.h"

#include "app/widgets/quiet_table.h"
#include "core/base/background.h"
#include "core/dsp/align.h"

#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

namespace ember::app {

RowReportDialog::RowReportDialog(Workspace& workspace, Player& player, RowReportKind kind,
                                 QWidget* parent)
    : QDialog(parent), workspace_(workspace), player_(player), kind_(std::move(kind)) {
    setWindowTitle(kind_.title);
    setObjectName(kind_.object);
    resize(640, 500);
    auto* box = new QVBoxLayout(this);
    auto* title = new QLabel(kind_.title, this);
    title->setProperty("title", true);
    box->addWidget(title);
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
    box->addWidget(table_, 1);
    buttons_ = new QDialogButtonBox(QDialogButtonBox::Close, this);
    connect(buttons_, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons_);
    connect(&running_, &QFutureWatcherBase::finished, this, &RowReportDialog::finish);
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        if (diff.rows.empty() && !diff.structural) return;
        if (!measuring()) return measure();
        again_ = abandon_ = true;
    });
    measure();
}

RowReportDialog::~RowReportDialog() {
    abandon_ = true;
    running_.waitForFinished();
}

void RowReportDialog::addRemedy(const QString& object, const QString& text, const QString& help,
                                const std::function<void()>& what) {
    QPushButton* button = buttons_->addButton(text, QDialogButtonBox::ActionRole);
    button->setObjectName(object);
    button->setToolTip(help);
    button->setEnabled(!measuring());
    connect(button, &QPushButton::clicked, this, what);
    remedies_.push_back(button);
}

void RowReportDialog::measure() {
    again_ = abandon_ = false;
    constexpr double kSeconds = 30.0;
    const LoopSpan& loop = workspace_.session().loop;
    const double from = loop.on ? loop.from : player_.position(),
                 to = loop.on ? loop.to : from + kSeconds;
    const auto tell = [this](double part, const QString& what) {
        if (measuring())
            sentence_->setText(tr("%1, %2 %").arg(what).arg(static_cast<int>(100.0 * part)));
    };
    for (QPushButton* remedy : remedies_) remedy->setEnabled(false);
    running_.setFuture(
        QtConcurrent::run([session = workspace_.session(), store = &workspace_.store(),
                           make = kind_.make, from, to, watch = watchedBy(this, abandon_, tell)] {
            stepBack();
            return outcomeOf(QString(), [&] { return make(session, *store, from, to, watch); });
        }));
}

void RowReportDialog::finish() {
    if (again_) return measure();
    if (abandon_) return;
    const auto found = running_.result();
    table_->setRowCount(0);
    if (!found.problem.isEmpty()) return sentence_->setText(found.problem);
    sentence_->setText(found.value.sentence);
    for (const QStringList& cells : found.value.lines) {
        const int line = table_->rowCount();
        table_->insertRow(line);
        for (int c = 0; c < cells.size(); ++c) putText(table_, line, c, cells[c], {}, c > 0);
    }
    for (QPushButton* remedy : remedies_) remedy->setEnabled(true);
}

void showRowReport(Workspace& workspace, Player& player, RowReportKind kind, const std::string& id,
                   QWidget* parent) {
    const Row* row = findRow(workspace.session(), id);
    const bool turns =
        kind.object == "adds-up" && row != nullptr && findStage(*row, "align") != nullptr;
    auto* dialog = new RowReportDialog(workspace, player, std::move(kind), parent);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    if (turns)
        dialog->addRemedy(
            "adds-up-turn", QObject::tr("Turn it over"),
            QObject::tr("Inverts the polarity in the row’s align; undo takes it back."),
            [&workspace, id] {
                workspace.attempt([&] {
                    const double now = findStage(*findRow(workspace.session(), id), "align")
                                           ->values[Align::polarity];
                    return withValue(workspace.session(), id, "align", "polarity",
                                     now >= 0.5 ? 0.0 : 1.0);
                });
            });
    dialog->show();
}

}  // namespace ember::app
