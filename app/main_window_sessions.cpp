// The window's dealings with sessions: opening, saving, leaving, recovering.

#include "app/main_window.h"
#include "core/base/error.h"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QPushButton>
#include <QSettings>

namespace ember::app {
namespace {

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
    return true;
}

void MainWindow::openPaths(const QStringList& paths) {
    if (paths.isEmpty()) return;
    if (paths.size() == 1 && paths[0].endsWith(".json", Qt::CaseInsensitive)) {
        if (mayLeave()) openSession(paths[0]);
        return;
    }
    if (!mayLeave()) return;
    pages_->setCurrentWidget(intake_);
    intake_->take(paths);
}

void MainWindow::chooseSession() {
    const QString chosen = QFileDialog::getOpenFileName(
        this, tr("Open a session"), {}, tr("Ember Cask sessions (*.json);;All files (*)"));
    if (!chosen.isEmpty() && mayLeave()) openSession(chosen);
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
    const QString start =
        workspace_.path().isEmpty()
            ? QDir::homePath() + "/" + QString::fromStdString(workspace_.session().name) + ".json"
            : workspace_.path();
    QString chosen = QFileDialog::getSaveFileName(this, tr("Save the session"), start,
                                                  tr("Ember Cask sessions (*.json)"));
    if (chosen.isEmpty()) return false;
    if (QFileInfo(chosen).suffix().isEmpty()) chosen += ".json";
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
    const QStringList left = Workspace::leftovers(options_.recoveryFolder);
    if (left.isEmpty()) return;
    if (options_.ask) {
        QMessageBox box(
            QMessageBox::Question, tr("Recover?"),
            tr("Ember Cask ended unexpectedly last time. Open what was being worked on?"),
            QMessageBox::NoButton, this);
        QPushButton* yes = box.addButton(tr("Open it"), QMessageBox::AcceptRole);
        QPushButton* no = box.addButton(tr("Throw it away"), QMessageBox::DestructiveRole);
        box.addButton(tr("Ask again next time"), QMessageBox::RejectRole);
        box.exec();
        if (box.clickedButton() == no) {
            for (const QString& file : left) {
                QFile::remove(file);
                QFile::remove(file + ".path");
            }
        }
        if (box.clickedButton() != yes) return;
    }
    try {
        workspace_.recover(left.first());
        showBoard();
        say(tr("Recovered; save it to keep it."));
    } catch (const Error& e) {
        say(QString::fromUtf8(e.what()), true);
    }
}

}  // namespace ember::app
