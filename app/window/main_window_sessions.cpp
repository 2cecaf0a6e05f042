// The window's dealings with sessions: opening, saving, leaving, recovering.

#include "app/widgets/dropped_files.h"
#include "app/window/main_window.h"
#include "core/advise/intake.h"
#include "core/advise/programmed.h"
#include "core/advise/recordings.h"
#include "core/base/error.h"
#include "core/report/pack.h"
#include "demo/one_shots.h"

#include <QDateTime>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QLocale>
#include <QMessageBox>
#include <QProgressDialog>
#include <QPushButton>
#include <QSettings>
#include <QtConcurrent/QtConcurrentRun>

#include <atomic>
#include <memory>

namespace ember::app {
namespace {

// Or .json: one JSON document either way.
constexpr const char* kSessionEnding = ".cask";

constexpr int kRecent = 8;

}  // namespace

bool MainWindow::openSession(const QString& path) {
    try {
        workspace_.open(path);
    } catch (const Error& e) {
        say(QString::fromUtf8(e.what()), true);
        if (options_.ask)
            QMessageBox::warning(this, tr("Cannot open"), QString::fromUtf8(e.what()));
        return false;
    }
    remember(workspace_.path());
    showBoard();
    checkRecordings();
    return true;
}

void MainWindow::checkRecordings() {
    changed_.setFuture(
        QtConcurrent::run([session = workspace_.session(), store = &workspace_.store()] {
            return changedRecordings(session, *store);
        }));
}

void MainWindow::askAboutRecordings() {
    for (const std::filesystem::path& file : changed_.result()) {
        const QString name = QString::fromStdString(file.filename().string());
        const QString sentence =
            tr("“%1” is not the recording that this session was made with: its content has "
               "changed. It is played and measured as it is now.")
                .arg(name);
        say(sentence, true);
        if (!options_.ask) continue;
        QMessageBox box(QMessageBox::Question, tr("A recording has changed"), sentence,
                        QMessageBox::NoButton, this);
        QPushButton* keep = box.addButton(tr("Work with it as it is"), QMessageBox::AcceptRole);
        QPushButton* find = box.addButton(tr("Find the old one …"), QMessageBox::ActionRole);
        box.addButton(tr("Ask again next time"), QMessageBox::RejectRole);
        box.exec();
        if (box.clickedButton() == keep)
            workspace_.attempt([&] {
                return withRecordingAsItIs(workspace_.session(), workspace_.store(), file);
            });
        if (box.clickedButton() == find) {
            const QString found = QFileDialog::getOpenFileName(
                this, tr("The recording that was taken in as “%1”").arg(name));
            if (!found.isEmpty())
                workspace_.attempt([&] {
                    return withRecordingFound(workspace_.session(), workspace_.store(), file,
                                              found.toStdString());
                });
        }
    }
}

void MainWindow::openPaths(const QStringList& paths) {
    if (paths.isEmpty()) return;
    const auto isSession = [](const QString& path) {
        return path.endsWith(kSessionEnding, Qt::CaseInsensitive) ||
               path.endsWith(".json", Qt::CaseInsensitive);
    };
    if (paths.size() == 1 && isPack(paths[0].toStdString())) {
        if (mayLeave()) openPack(paths[0]);
        return;
    }
    if (paths.size() == 1 && isSession(paths[0])) {
        if (mayLeave()) openSession(paths[0]);
        return;
    }
    if (!workspace_.empty() && options_.ask) {
        QMessageBox box(QMessageBox::Question, tr("Recordings"),
                        tr("“%1” is open. Where do these recordings belong?")
                            .arg(QString::fromStdString(workspace_.session().name)),
                        QMessageBox::Cancel, this);
        QPushButton* here = box.addButton(tr("To this session"), QMessageBox::AcceptRole);
        QPushButton* fresh = box.addButton(tr("To a new one"), QMessageBox::ActionRole);
        box.setDefaultButton(here);
        box.exec();
        if (box.clickedButton() == here) return takeInto(paths);
        if (box.clickedButton() != fresh) return;
    }
    if (!mayLeave()) return;
    pages_->setCurrentWidget(intake_);
    intake_->take(paths);
}

void MainWindow::takeInto(const QStringList& paths) {
    if (paths.isEmpty() || workspace_.empty()) return;
    pages_->setCurrentWidget(intake_);
    intake_->takeInto(paths);
}

void MainWindow::addRecordings() {
    if (workspace_.empty()) return say(tr("Open a session first; recordings are added to one."));
    takeInto(QFileDialog::getOpenFileNames(
        this, tr("Recordings to add: a bass, a microphone, a reference"), {}, audioFiles()));
}

void MainWindow::chooseSession() {
    const QString chosen = QFileDialog::getOpenFileName(
        this, tr("Open a session"), {},
        tr("Ember Cask sessions (*.cask *.json *.caskpack);;All files (*)"));
    if (chosen.isEmpty() || !mayLeave()) return;
    if (isPack(chosen.toStdString()))
        openPack(chosen);
    else
        openSession(chosen);
}

void MainWindow::chooseKit() {
    const QString folder =
        QFileDialog::getExistingDirectory(this, tr("The folder with the one-shots"));
    if (folder.isEmpty()) return;
    const QString midi =
        QFileDialog::getOpenFileName(this, tr("The notes, if there are any (or cancel)"), folder,
                                     tr("MIDI files (*.mid *.midi *.MID)"));
    takeKit({folder}, midi);
}

void MainWindow::openProgrammedDemo() {
    const std::filesystem::path folder = workspace_.store().folder() / "demo-one-shots";
    try {
        if (!std::filesystem::exists(folder / demo::kBeatFile)) demo::writeOneShots(folder);
    } catch (const std::exception& error) {
        return say(QString::fromUtf8(error.what()), true);
    }
    takeKit({QString::fromStdString(folder.string())},
            QString::fromStdString((folder / demo::kBeatFile).string()));
}

// Work that may take a while, with a dialog to cancel it by; `then` where it was done.
void MainWindow::runWatched(const char* name, const QString& title, const QString& doing,
                            std::function<void(const Progress&)> what, std::function<void()> then) {
    auto* progress = new QProgressDialog(doing, tr("Cancel"), 0, 1000, this);
    progress->setObjectName(name);
    progress->setWindowTitle(title);
    progress->setAttribute(Qt::WA_DeleteOnClose);
    progress->setMinimumDuration(400);
    // What is at its end is closed where it is used.
    progress->setAutoClose(false);
    progress->setAutoReset(false);
    struct Work {
        QString failure;
        std::atomic<bool> stop{false};
        std::atomic<int> done{0};
    };
    auto work = std::make_shared<Work>();
    auto* watcher = new QFutureWatcher<void>(progress);
    auto* tick = new QTimer(progress);
    connect(tick, &QTimer::timeout, progress, [progress, work] { progress->setValue(work->done); });
    tick->start(50);
    connect(progress, &QProgressDialog::canceled, this, [work] { work->stop = true; });
    connect(watcher, &QFutureWatcher<void>::finished, this,
            [this, work, progress, then = std::move(then)] {
                // Closing counts as cancelling.
                const bool stopped = work->stop;
                progress->close();
                if (stopped) return say(tr("Cancelled; nothing has changed."));
                if (!work->failure.isEmpty()) return say(work->failure, true);
                then();
            });
    QFuture<void> running = QtConcurrent::run([work, what = std::move(what)] {
        try {
            what([work](double part, const std::string&) {
                work->done = static_cast<int>(1000.0 * part);
                return !work->stop.load();
            });
        } catch (const std::exception& error) {
            work->failure = QString::fromUtf8(error.what());
        }
    });
    // It may read with the workspace's store: whatever ends the dialog waits for it.
    connect(progress, &QObject::destroyed, [work, running]() mutable {
        work->stop = true;
        running.waitForFinished();
    });
    watcher->setFuture(running);
}

void MainWindow::takeKit(const QStringList& paths, const QString& midi) {
    if (!mayLeave()) return;
    std::vector<std::filesystem::path> files;
    for (const QString& path : paths) files.emplace_back(path.toStdString());
    auto kit = std::make_shared<ProgrammedKit>();
    runWatched(
        "kit-progress", tr("A programmed kit"), tr("Reading the sounds …"),
        [kit, files, store = &workspace_.store(),
         notes = midi.toStdString()](const Progress& progress) {
            *kit = programmedKit(
                files, *store,
                notes.empty() ? std::nullopt : std::optional(std::filesystem::path(notes)),
                progress);
        },
        [this, kit] {
            workspace_.begin(kit->session);
            showBoard();
            QStringList words;
            for (const auto* list : {&kit->refused, &kit->remarks}) {
                for (const std::string& sentence : *list) words << QString::fromStdString(sentence);
            }
            if (!words.isEmpty()) say(words.join(QLatin1Char(' ')), !kit->refused.empty());
        });
}

void MainWindow::openPack(const QString& path) {
    const std::filesystem::path file(path.toStdString());
    auto session = std::make_shared<std::filesystem::path>();
    runWatched(
        "pack-progress", tr("A session in one file"), tr("Laying it out …"),
        [file, session](const Progress& progress) {
            *session = unpackSession(file, folderFor(file, file.parent_path()), progress);
        },
        [this, session] {
            if (openSession(QString::fromStdString(session->string())))
                say(tr("It lies in “%1” now.")
                        .arg(QString::fromStdString(session->parent_path().string())));
        });
}

bool MainWindow::saveTo(const QString& path) {
    try {
        workspace_.save(path);
    } catch (const Error& e) {
        say(QString::fromUtf8(e.what()), true);
        if (options_.ask)
            QMessageBox::warning(this, tr("Cannot save"), QString::fromUtf8(e.what()));
        return false;
    }
    remember(workspace_.path());
    say(tr("Saved to %1").arg(workspace_.path()));
    return true;
}

bool MainWindow::save() {
    return workspace_.path().isEmpty() ? saveAs() : saveTo(workspace_.path());
}

bool MainWindow::saveAs() {
    if (workspace_.empty()) return false;
    const QString start = workspace_.path().isEmpty()
                              ? QDir::homePath() + "/" +
                                    QString::fromStdString(workspace_.session().name) +
                                    kSessionEnding
                              : workspace_.path();
    QString chosen = QFileDialog::getSaveFileName(this, tr("Save the session"), start,
                                                  tr("Ember Cask sessions (*.cask *.json)"));
    if (chosen.isEmpty()) return false;
    if (QFileInfo(chosen).suffix().isEmpty()) chosen += kSessionEnding;
    return saveTo(chosen);
}

bool MainWindow::mayLeave() {
    if (!workspace_.unsaved() || workspace_.empty() || !options_.ask) return true;
    const auto answer = QMessageBox::question(
        this, tr("Save first?"),
        tr("“%1” has changes that are not saved.")
            .arg(QString::fromStdString(workspace_.session().name)),
        QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Save);
    if (answer == QMessageBox::Save) return save();
    return answer == QMessageBox::Discard;
}

void MainWindow::remember(const QString& path) {
    if (!options_.remember) return;
    QSettings settings;
    QStringList recent = settings.value("recent").toStringList();
    recent.removeAll(path);
    recent.prepend(path);
    settings.setValue("recent", recent.mid(0, kRecent));
}

void MainWindow::fillRecent() {
    recent_->clear();
    const QStringList recent =
        options_.remember ? QSettings().value("recent").toStringList() : QStringList();
    for (const QString& path : recent) {
        if (!QFileInfo::exists(path)) continue;
        connect(recent_->addAction(path), &QAction::triggered, this, [this, path] {
            if (mayLeave()) openSession(path);
        });
    }
    if (recent_->isEmpty()) recent_->addAction(tr("Nothing yet"))->setEnabled(false);
}

void MainWindow::offerRecovery() {
    QString wanted;
    for (const QString& file : Workspace::leftovers(options_.recoveryFolder)) {
        // Each is asked about by itself: what is thrown away is what was named.
        if (options_.ask) {
            QMessageBox box(
                QMessageBox::Question, tr("Recover?"),
                tr("Ember Cask ended unexpectedly on %1. Open what was being worked on?")
                    .arg(QLocale().toString(QFileInfo(file).lastModified(), QLocale::ShortFormat)),
                QMessageBox::NoButton, this);
            QPushButton* yes = box.addButton(tr("Open it"), QMessageBox::AcceptRole);
            QPushButton* no = box.addButton(tr("Throw it away"), QMessageBox::DestructiveRole);
            box.addButton(tr("Ask again next time"), QMessageBox::RejectRole);
            box.exec();
            if (box.clickedButton() == no) Workspace::discard(file);
            if (box.clickedButton() != yes) continue;
        }
        wanted = file;
        break;
    }
    if (wanted.isEmpty()) return;
    try {
        workspace_.recover(wanted);
        showBoard();
        say(tr("Recovered; save it to keep it."));
    } catch (const Error& e) {
        say(QString::fromUtf8(e.what()), true);
    }
}

}  // namespace ember::app
