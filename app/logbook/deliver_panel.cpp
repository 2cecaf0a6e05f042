#include "app/logbook/deliver_panel.h"

#include "app/theme/theme.h"
#include "app/widgets/labels.h"
#include "app/widgets/wrapped_items.h"
#include "core/base/error.h"
#include "print/recall_pdf.h"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMessageBox>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <utility>

namespace ember::app {
namespace {

// Told by shape first: a full dot, a half one, and the spur of what needs attention.
QString signOf(DeliveryCheck::State state) {
    switch (state) {
        case DeliveryCheck::State::attention:
            return QStringLiteral("◐");
        case DeliveryCheck::State::problem:
            return QStringLiteral("▲");
        default:
            return QStringLiteral("●");
    }
}

}  // namespace

DeliverPanel::DeliverPanel(Workspace& workspace, Listener& listener, QWidget* parent)
    : QWidget(parent), workspace_(workspace), listener_(listener) {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    auto* title = titleLabel(tr("Before it leaves the house"), this);
    box->addWidget(title);
    text_ = quietLabel(this, "deliver-text");
    box->addWidget(text_);
    checks_ = new QListWidget(this);
    checks_->setObjectName("deliver-checks");
    checks_->setAccessibleName(title->text());
    checks_->setSpacing(2);
    wrapItems(checks_);
    checks_->setToolTip(tr("Enter or a double click shows the row on the Board."));
    connect(checks_, &QListWidget::itemActivated, this, [this](QListWidgetItem* item) {
        const std::string row = item->data(Qt::UserRole).toString().toStdString();
        if (!row.empty()) emit rowAsked(row);
    });
    box->addWidget(checks_, 1);
    progress_ = new QProgressBar(this);
    progress_->setRange(0, 100);
    progress_->setTextVisible(false);
    box->addWidget(progress_);
    const auto button = [&](const QString& text, const char* name, const QString& tip,
                            auto&& what) {
        auto* made = namedButton(text, name, tip, this);
        connect(made, &QPushButton::clicked, this, what);
        box->addWidget(made);
        return made;
    };
    stop_ =
        button(tr("Stop"), "deliver-stop", tr("Nothing is written."), [this] { abandon_ = true; });
    look_ = button(tr("Look everything over"), "deliver-check",
                   tr("Renders the mix once and says what is fine, what somebody should know, and "
                      "what would be wrong."),
                   [this] { check(); });
    render_ = button(tr("Deliver …"), "deliver-render",
                     tr("Mixes in several forms, stems and strokes as files (Ctrl+R)."),
                     [this] { emit renderAsked(); });
    sheet_ = button(tr("Recall sheet …"), "deliver-sheet",
                    tr("Every setting in real units with its reasons, for another person to dial "
                       "in: HTML, PDF, CSV or Markdown."),
                    [this] { chooseSheet(); });
    collect_ = button(tr("Collect into a folder …"), "deliver-collect",
                      tr("The session and every recording it plays, copied into one folder that "
                         "opens on another machine."),
                      [this] { chooseFolder(); });
    pack_ = button(tr("Into one file …"), "deliver-pack",
                   tr("The same as one file, to be handed on; or as a template without song and "
                      "recordings, which other sessions may begin as. Both open like sessions."),
                   [this] { choosePack(); });
    connect(&gathering_, &QFutureWatcherBase::finished, this, &DeliverPanel::collected);
    connect(&checking_, &QFutureWatcherBase::finished, this, &DeliverPanel::checked);
    connect(&writing_, &QFutureWatcherBase::finished, this, &DeliverPanel::written);
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        if (diff.changes.empty()) return;
        stale_ = checks_->count() > 0;
        refresh();
    });
    connect(&workspace_, &Workspace::opened, this, [this] {
        abandon_ = true;
        checks_->clear();
        stale_ = false;
        refresh();
    });
    refresh();
}

DeliverPanel::~DeliverPanel() {
    abandon_ = true;
    checking_.waitForFinished();
    writing_.waitForFinished();
    gathering_.waitForFinished();
}

void DeliverPanel::refresh() {
    const bool busy = working();
    progress_->setVisible(busy);
    stop_->setVisible(busy);
    for (QPushButton* one : {look_, render_, sheet_, collect_, pack_})
        one->setEnabled(!busy && !workspace_.empty());
    if (busy) return;
    if (stale_)
        text_->setText(tr("The mix was changed since this was looked over."));
    else if (checks_->count() == 0)
        text_->setText(tr("Nothing was looked over yet."));
}

void DeliverPanel::tell(double part, const QString& what) {
    if (!working()) return;
    progress_->setValue(static_cast<int>(100.0 * part));
    text_->setText(what + QStringLiteral(" …"));
}

Progress DeliverPanel::watch() {
    return watchedBy(this, abandon_,
                     [this](double part, const QString& what) { tell(part, what); });
}

void DeliverPanel::check() {
    if (working() || workspace_.empty()) return;
    abandon_ = false;
    checks_->clear();
    stale_ = false;
    checking_.setFuture(QtConcurrent::run(
        [session = workspace_.session(), store = &workspace_.store(), watch = watch()] {
            return outcomeOf(tr("Stopped; nothing was looked over."),
                             [&] { return checkDelivery(session, *store, watch); });
        }));
    refresh();
}

void DeliverPanel::checked() {
    const auto result = checking_.result();
    refresh();
    if (!result.problem.isEmpty()) return text_->setText(result.problem);
    int worst = 0;
    for (const DeliveryCheck& check : result.value) {
        auto* item =
            new QListWidgetItem(signOf(check.state) + "  " + QString::fromStdString(check.what) +
                                    ". " + QString::fromStdString(check.sentence),
                                checks_);
        item->setData(Qt::UserRole, QString::fromStdString(check.row));
        item->setData(Qt::AccessibleTextRole,
                      QString::fromUtf8(toString(check.state)) + ": " +
                          QString::fromStdString(check.what + ". " + check.sentence));
        if (check.state == DeliveryCheck::State::problem) item->setForeground(colours().alarm);
        worst = std::max(worst, static_cast<int>(check.state));
    }
    text_->setText(worst == 0   ? tr("Everything is fine.")
                   : worst == 1 ? tr("It can go; what is marked somebody should know.")
                                : tr("Something would be wrong; it is marked."));
}

void DeliverPanel::chooseSheet() {
    const QString base =
        workspace_.path().isEmpty()
            ? QDir::homePath() + "/" + QString::fromStdString(workspace_.session().name)
            : QFileInfo(workspace_.path()).path() + "/" +
                  QFileInfo(workspace_.path()).completeBaseName();
    QString filter = tr("PDF (*.pdf)");
    QString file = QFileDialog::getSaveFileName(
        this, tr("Write the recall sheet"), base + " recall.pdf",
        tr("PDF (*.pdf);;HTML (*.html);;CSV (*.csv);;Markdown (*.md)"), &filter);
    if (file.isEmpty()) return;
    if (QFileInfo(file).suffix().isEmpty()) {
        // The dialog has asked about the name without it.
        file += "." + filter.section("*.", 1).section(')', 0, 0);
        if (QFileInfo::exists(file) &&
            QMessageBox::question(this, tr("Replace?"),
                                  tr("“%1” exists. Replace it?").arg(QFileInfo(file).fileName())) !=
                QMessageBox::Yes)
            return;
    }
    writeSheet(file);
}

void DeliverPanel::writeSheet(const QString& file) {
    if (working() || workspace_.empty()) return;
    file_ = file;
    document_ = workspace_.document();
    abandon_ = false;
    // A table of settings holds no figures.
    const bool figures = QFileInfo(file).suffix() != "csv";
    writing_.setFuture(
        QtConcurrent::run([session = document_.session(), measured = listener_.measured(), figures,
                           store = &workspace_.store(), watch = watch()] {
            return outcomeOf(tr("Stopped; nothing was written."), [&]() -> RecallFigures {
                if (!figures) return {};
                return recallFigures(
                    session, *store,
                    measured != nullptr ? measured->strokes.strokes : std::vector<Stroke>{}, watch);
            });
        }));
    refresh();
}

void DeliverPanel::written() {
    auto result = writing_.result();
    const QString file = std::exchange(file_, {});
    refresh();
    if (result.problem.isEmpty()) {
        try {
            writeRecall(recallSheet(document_, result.value),
                        std::filesystem::path(file.toStdString()));
        } catch (const Error& error) {
            result.problem = QString::fromUtf8(error.what());
        }
    }
    document_ = {};
    text_->setText(result.problem.isEmpty() ? tr("Written: %1").arg(QFileInfo(file).fileName())
                                            : result.problem);
}

void DeliverPanel::chooseFolder() {
    const QString folder =
        QFileDialog::getExistingDirectory(this, tr("An empty folder to collect into"));
    if (!folder.isEmpty()) collect(folder);
}

void DeliverPanel::choosePack() {
    const QString whole = tr("The session with all it plays (*.caskpack)"),
                  likeness = tr("A template without song and recordings (*.caskpack)");
    QString kind = whole;
    QString file = QFileDialog::getSaveFileName(
        this, tr("Into one file"),
        QString::fromStdString(workspace_.session().name) + kPackEnding.data(),
        whole + ";;" + likeness, &kind);
    if (file.isEmpty()) return;
    if (!isPack(file.toStdString())) file += kPackEnding.data();
    pack(file, kind == likeness ? PackAs::likeness : PackAs::session);
}

void DeliverPanel::collect(const QString& folder) {
    gather([store = &workspace_.store(), to = std::filesystem::path(folder.toStdString())](
               const Document& document, const Progress& progress) {
        return collectSession(document, *store, to, progress);
    });
}

void DeliverPanel::pack(const QString& file, PackAs as) {
    gather([store = &workspace_.store(), to = std::filesystem::path(file.toStdString()), as](
               const Document& document, const Progress& progress) {
        return packSession(document, *store, to, as, progress);
    });
}

void DeliverPanel::gather(std::function<Collected(const Document&, const Progress&)> what) {
    if (working() || workspace_.empty()) return;
    collecting_ = true;
    abandon_ = false;
    gathering_.setFuture(QtConcurrent::run(
        [document = workspace_.document(), watch = watch(), what = std::move(what)] {
            return outcomeOf(tr("Stopped; nothing was kept of it."),
                             [&] { return what(document, watch); });
        }));
    refresh();
}

void DeliverPanel::collected() {
    const auto result = gathering_.result();
    collecting_ = false;
    refresh();
    if (!result.problem.isEmpty()) return text_->setText(result.problem);
    const Collected& done = result.value;
    const QString called = QString::fromStdString(done.session.filename().string());
    QString text = isPack(done.session)
                       ? tr("%1 files and the session are in “%2”.").arg(done.files).arg(called)
                       : tr("%1 recordings and the session “%2” are in one folder.")
                             .arg(done.files)
                             .arg(called);
    if (!done.missing.empty()) {
        QStringList names;
        for (const std::string& name : done.missing) names << QString::fromStdString(name);
        text += tr(" Missing: %1.").arg(names.join(", "));
    }
    text_->setText(text);
}

}  // namespace ember::app
