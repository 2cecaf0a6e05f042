#include "app/intake/intake_page.h"

#include "app/theme/theme.h"
#include "app/widgets/certainty.h"
#include "app/widgets/dropped_files.h"
#include "core/base/error.h"
#include "demo/kit.h"
#include "demo/mix.h"

#include <QCheckBox>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QMimeData>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

QPushButton* primary(const QString& label, QWidget* parent) {
    auto* button = new QPushButton(label, parent);
    const Palette& p = colours();
    button->setStyleSheet(
        QString("QPushButton { background: %1; color: %2; border-color: %1; font-weight: 600; "
                "padding: 7px 16px; }"
                "QPushButton:disabled { background: transparent; color: %3; border-color: %3; }"
                "QPushButton:focus { border: 2px solid %4; }")
            .arg(p.ember.name(), p.onEmber.name(), p.quiet.name(), p.chalk.name()));
    return button;
}

std::vector<std::filesystem::path> asPaths(const QStringList& paths) {
    std::vector<std::filesystem::path> files;
    for (const QString& path : paths) files.emplace_back(path.toStdString());
    return files;
}

}  // namespace

IntakePage::IntakePage(Workspace& workspace, QWidget* parent)
    : QWidget(parent), workspace_(workspace) {
    setObjectName("intake");
    setAcceptDrops(true);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(20, 16, 20, 16);
    pages_ = new QStackedWidget(this);
    pages_->addWidget(makeInvitation());
    pages_->addWidget(makeReview());
    outer->addWidget(pages_, 1);
    error_ = new QLabel(this);
    error_->setObjectName("intake-error");
    error_->setWordWrap(true);
    error_->hide();
    outer->addWidget(error_);
    progressLine_ = new QWidget(this);
    auto* line = new QHBoxLayout(progressLine_);
    line->setContentsMargins(0, 0, 0, 0);
    doing_ = new QLabel(progressLine_);
    doing_->setMinimumWidth(260);
    progress_ = new QProgressBar(progressLine_);
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    cancel_ = new QPushButton(tr("Cancel"), progressLine_);
    connect(cancel_, &QPushButton::clicked, this, &IntakePage::cancel);
    line->addWidget(doing_);
    line->addWidget(progress_, 1);
    line->addWidget(cancel_);
    progressLine_->hide();
    outer->addWidget(progressLine_);
    connect(&running_, &QFutureWatcher<void>::finished, this, [this] {
        progressLine_->hide();
        build_->setEnabled(true);
        const auto outcome = std::exchange(outcome_, nullptr);
        const auto then = std::exchange(then_, nullptr);
        const bool failed = !outcome || outcome->cancelled || !outcome->error.isEmpty();
        // Nothing to look at here, and a session to go back to.
        if (failed && !reviewing() && !workspace_.empty()) {
            emit left(outcome ? outcome->error : QString());
            return;
        }
        if (!outcome || outcome->cancelled) return;
        if (!outcome->error.isEmpty()) {
            error_->setText(outcome->error);
            error_->show();
            return;
        }
        then(*outcome);
    });
}

IntakePage::~IntakePage() {
    abandon_ = true;
    running_.waitForFinished();
}

QWidget* IntakePage::makeInvitation() {
    auto* page = new QWidget(this);
    auto* box = new QVBoxLayout(page);
    box->setAlignment(Qt::AlignCenter);
    box->setSpacing(14);
    auto* title = new QLabel(tr("Drop a drum recording here"), page);
    title->setFont(face(26, QFont::DemiBold));
    title->setStyleSheet("font-size: 26px; font-weight: 600;");
    title->setAlignment(Qt::AlignCenter);
    auto* words =
        new QLabel(tr("A folder with one file a microphone, or the files themselves: WAV, AIFF, "
                      "FLAC, Ogg or CAF, any rate.\n"
                      "Ember Cask recognises the drums, pairs left and right, groups them and "
                      "looks for what is unusual.\nYour recordings are only read, never written."),
                   page);
    words->setAlignment(Qt::AlignCenter);
    words->setProperty("quiet", true);
    auto* buttons = new QHBoxLayout;
    buttons->setAlignment(Qt::AlignCenter);
    auto* folder = primary(tr("Choose a folder …"), page);
    auto* files = new QPushButton(tr("Choose files …"), page);
    auto* open = new QPushButton(tr("Open a session …"), page);
    auto* demo = new QPushButton(tr("Open the demo kit"), page);
    for (QPushButton* button : {folder, files, open, demo}) buttons->addWidget(button);
    files->setStyleSheet("padding: 7px 16px;");
    open->setStyleSheet("padding: 7px 16px;");
    demo->setStyleSheet("padding: 7px 16px;");
    folder->setObjectName("intake-folder");
    demo->setObjectName("open-demo");
    connect(folder, &QPushButton::clicked, this, [this] {
        const QString chosen =
            QFileDialog::getExistingDirectory(this, tr("Choose a folder of recordings"));
        if (!chosen.isEmpty()) take({chosen});
    });
    connect(files, &QPushButton::clicked, this, [this] {
        const QStringList chosen =
            QFileDialog::getOpenFileNames(this, tr("Choose recordings"), {}, audioFiles());
        if (!chosen.isEmpty()) take(chosen);
    });
    connect(open, &QPushButton::clicked, this, &IntakePage::wantOpen);
    connect(demo, &QPushButton::clicked, this, [this] { takeDemo({}); });
    box->addWidget(title);
    box->addWidget(words);
    box->addSpacing(8);
    box->addLayout(buttons);
    return page;
}

QWidget* IntakePage::makeReview() {
    auto* page = new QWidget(this);
    auto* box = new QVBoxLayout(page);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(8);
    auto* head = new QHBoxLayout;
    summary_ = new QLabel(page);
    summary_->setProperty("title", true);
    head->addWidget(summary_, 1);
    tempoLine_ = new QWidget(page);
    auto* tempo = new QHBoxLayout(tempoLine_);
    tempo->setContentsMargins(0, 0, 0, 0);
    tempo->addWidget(new QLabel(tr("Tempo"), page));
    tempo_ = new QLineEdit(page);
    tempo_->setFixedWidth(84);
    tempo_->setAlignment(Qt::AlignRight);
    tempo_->setAccessibleName(tr("Tempo in beats a minute"));
    tempo_->setToolTip(
        tr("Beats a minute, measured from the recording. Type another one when it is wrong; half "
           "and double are common mistakes."));
    tempo->addWidget(tempo_);
    auto* half = new QPushButton(tr("Half"), page);
    auto* twice = new QPushButton(tr("Double"), page);
    connect(half, &QPushButton::clicked, this,
            [this] { tempo_->setText(QString::number(tempo_->text().toDouble() / 2.0, 'f', 2)); });
    connect(twice, &QPushButton::clicked, this,
            [this] { tempo_->setText(QString::number(tempo_->text().toDouble() * 2.0, 'f', 2)); });
    tempo->addWidget(half);
    tempo->addWidget(twice);
    head->addWidget(tempoLine_);
    box->addLayout(head);
    table_ = new IntakeTable(workspace_.store(), page);
    connect(table_, &IntakeTable::refused, this, [this](const QString& sentence) {
        error_->setText(sentence);
        error_->show();
    });
    connect(table_, &IntakeTable::changed, this, &IntakePage::refreshActions);
    connect(table_, &IntakeTable::changed, this, &IntakePage::refreshLike);
    connect(table_, &IntakeTable::hearAsked, this, &IntakePage::hearAsked);
    box->addWidget(table_, 1);
    unusual_ = new QLabel(page);
    unusual_->setObjectName("intake-refused");
    unusual_->setWordWrap(true);
    box->addWidget(unusual_);
    different_ = new QLabel(page);
    different_->setObjectName("intake-different");
    different_->setWordWrap(true);
    box->addWidget(different_);
    auto* actions = new QHBoxLayout;
    roles_ = new QToolButton(page);
    roles_->setText(tr("Role of the chosen rows"));
    roles_->setPopupMode(QToolButton::InstantPopup);
    auto* roleMenu = new QMenu(roles_);
    for (const Role role : rolesToChoose())
        roleMenu->addAction(roleName(role), this, [this, role] { table_->setRole(role); });
    roles_->setMenu(roleMenu);
    pair_ = new QPushButton(tr("Pair as left and right"), page);
    pair_->setObjectName("intake-pair");
    pair_->setToolTip(tr("Two chosen mono recordings become one row; the upper one is the left."));
    connect(pair_, &QPushButton::clicked, table_, &IntakeTable::pair);
    part_ = new QPushButton(tr("Part left and right"), page);
    part_->setObjectName("intake-part");
    part_->setToolTip(tr("The two sides of the chosen row become rows of their own."));
    connect(part_, &QPushButton::clicked, table_, &IntakeTable::part);
    auto* names = new QCheckBox(tr("The files’ own names"), page);
    names->setToolTip(tr("Instead of the readable ones that are offered."));
    connect(names, &QCheckBox::toggled, table_, &IntakeTable::useFileNames);
    actions->addWidget(roles_);
    actions->addWidget(pair_);
    actions->addWidget(part_);
    actions->addStretch(1);
    actions->addWidget(names);
    box->addLayout(actions);
    auto* foot = new QHBoxLayout;
    again_ = new QPushButton(page);
    again_->setObjectName("intake-again");
    connect(again_, &QPushButton::clicked, this, [this] {
        const bool back = adding_;
        startOver();
        if (back) emit left({});
    });
    build_ = primary({}, page);
    build_->setObjectName("intake-build");
    connect(build_, &QPushButton::clicked, this, [this] { adding_ ? add() : build(); });
    foot->addWidget(again_);
    auto* hint =
        new QLabel(tr("Guests are heard beside the drums but are no part of the mix; references "
                      "are kept beside it. A row that nobody is sure of gets no proposals until "
                      "you say what it is; all of this can be changed later from the Board."),
                   page);
    hint->setProperty("quiet", true);
    hint->setWordWrap(true);
    like_ = new QToolButton(page);
    like_->setObjectName("intake-like");
    like_->setPopupMode(QToolButton::InstantPopup);
    like_->setToolTip(
        tr("What the new session begins with: the usual groups and nothing decided, or the "
           "groups, steps, routing and targets of an earlier session, row by row."));
    auto* likes = new QMenu(like_);
    likes->addAction(tr("The usual groups"), this, [this] { beginLike({}); });
    likes->addAction(tr("An earlier session …"), this, &IntakePage::chooseLike);
    like_->setMenu(likes);
    foot->addWidget(hint, 1);
    foot->addWidget(like_);
    foot->addWidget(build_);
    beginLike({});
    box->addLayout(foot);
    return page;
}

void IntakePage::startOver() {
    adding_ = false;
    emit hearAsked({});
    error_->hide();
    pages_->setCurrentIndex(0);
}

void IntakePage::work(const QString& what, std::function<void(Outcome&, const Progress&)> job,
                      std::function<void(Outcome&)> then) {
    if (running_.isRunning()) return;
    error_->hide();
    doing_->setText(what);
    progress_->setValue(0);
    progressLine_->show();
    cancel_->setFocus();
    build_->setEnabled(false);
    abandon_ = false;
    auto outcome = std::make_shared<Outcome>();
    outcome_ = outcome;
    then_ = std::move(then);
    running_.setFuture(QtConcurrent::run([this, outcome, job = std::move(job)] {
        const Progress report = [this](double share, const std::string& doing) {
            QMetaObject::invokeMethod(this, [this, share, words = QString::fromStdString(doing)] {
                progress_->setValue(static_cast<int>(share * 1000.0));
                doing_->setText(doing_->fontMetrics().elidedText(words, Qt::ElideMiddle, 320));
            });
            return !abandon_.load();
        };
        try {
            job(*outcome, report);
        } catch (const Cancelled&) {
            outcome->cancelled = true;
        } catch (const std::exception& e) {
            outcome->error = QString::fromUtf8(e.what());
        }
    }));
}

void IntakePage::take(const QStringList& paths) {
    if (busy()) return;
    const auto files = asPaths(paths);
    AudioStore* store = &workspace_.store();
    work(
        tr("Reading"),
        [files, store](Outcome& out, const Progress& progress) {
            out.intake = takeIn(files, *store, {}, progress);
        },
        [this](Outcome& out) {
            table_->show(std::move(out.intake));
            showIntake(false);
        });
}

void IntakePage::takeInto(const QStringList& paths) {
    if (busy()) return;
    const auto files = asPaths(paths);
    AudioStore* store = &workspace_.store();
    work(
        tr("Reading"),
        [files, store, session = workspace_.session()](Outcome& out, const Progress& progress) {
            out.intake = ember::takeInto(session, files, *store, progress);
        },
        [this](Outcome& out) {
            table_->show(std::move(out.intake));
            showIntake(true);
        });
}

void IntakePage::takeDemo(const QString& chosen) {
    AudioStore* store = &workspace_.store();
    const std::filesystem::path folder = chosen.isEmpty()
                                             ? store->folder() / "demo-kit"
                                             : std::filesystem::path(chosen.toStdString());
    work(
        tr("Simulating the demo kit"),
        [folder, store](Outcome& out, const Progress& progress) {
            if (!std::filesystem::exists(folder / "truth.json")) {
                report(progress, 0.05, "Simulating the demo kit, some ten seconds");
                const demo::Recording recording = demo::record({});
                report(progress, 0.4, "Writing the demo kit");
                demo::writeRecording(recording, folder);
            }
            const Progress rest = [&progress](double share, const std::string& what) {
                return !progress || progress(0.5 + 0.5 * share, what);
            };
            out.session =
                demo::demoMix(sessionFrom(takeIn({folder}, *store, {}, rest), *store, rest));
        },
        [this](Outcome& out) {
            workspace_.begin(out.session);
            emit built();
        });
}

void IntakePage::showIntake(bool adding) {
    adding_ = adding;
    tempoLine_->setVisible(!adding);  // the song has its own
    like_->setVisible(!adding);
    again_->setText(adding ? tr("Back to the session") : tr("Start over"));
    build_->setText(adding ? tr("Add to the session") : tr("Go to the Board"));
    const Intake& intake = table_->intake();
    tempo_->setText(QString::number(intake.tempo, 'f', 2));
    QStringList refused;
    for (const std::string& sentence : intake.refused) refused << QString::fromStdString(sentence);
    unusual_->setText(refused.join("\n"));
    unusual_->setVisible(!refused.isEmpty());
    pages_->setCurrentIndex(1);
    table_->setCurrentCell(0, IntakeTable::kName);
    refreshActions();
    beginLike({});
    build_->setFocus();
}

void IntakePage::refreshActions() {
    const Intake& intake = table_->intake();
    const int unsure = table_->unsure();
    summary_->setText((adding_ ? tr("To “%1”: %2 at %3 kHz%4") : tr("%1: %2 at %3 kHz%4"))
                          .arg(QString::fromStdString(intake.name),
                               intake.entries.size() == 1
                                   ? tr("one row")
                                   : tr("%1 rows").arg(intake.entries.size()))
                          .arg(intake.sampleRate / 1000.0)
                          .arg(unsure == 0   ? QString()
                               : unsure == 1 ? tr(", one not sure")
                                             : tr(", %1 not sure").arg(unsure)));
    roles_->setEnabled(!table_->chosen().empty());
    pair_->setEnabled(table_->canPair());
    part_->setEnabled(table_->canPart());
}

void IntakePage::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls() && !busy()) event->acceptProposedAction();
}

void IntakePage::dropEvent(QDropEvent* event) {
    const QStringList paths = droppedFiles(*event->mimeData());
    if (paths.isEmpty()) return;
    event->acceptProposedAction();
    adding_ ? takeInto(paths) : take(paths);
}

}  // namespace ember::app
