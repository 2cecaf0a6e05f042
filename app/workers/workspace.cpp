#include "app/workers/workspace.h"

#include "core/base/error.h"
#include "core/engine/print_row.h"
#include "core/measure/separate/kept_models.h"
#include "core/session/file.h"
#include "core/session/kit.h"
#include "core/session/routing.h"
#include "core/session/split.h"

#include <QCoreApplication>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QStandardPaths>

#include <csignal>

namespace ember::app {
namespace {

constexpr int kAutosaveMs = 3000;  // after the first edit that is not kept yet

std::filesystem::path toPath(const QString& text) {
    return {text.toStdString()};
}

}  // namespace

Workspace::Workspace(QString recoveryFolder, QObject* parent)
    : QObject(parent), recoveryFolder_(std::move(recoveryFolder)) {
    autosave_.setSingleShot(true);
    autosave_.setInterval(kAutosaveMs);
    connect(&autosave_, &QTimer::timeout, this, &Workspace::autosave);
}

Workspace::~Workspace() {
    QFile::remove(recoveryFile());
}

QString Workspace::savedText() const {
    if (empty()) return tr("No session open");
    if (!unsaved_) return tr("Saved");
    return autosaved_ ? tr("Not saved, recovery copy kept") : tr("Not saved");
}

void Workspace::become(Document document, const QString& path, bool unsaved) {
    document_ = std::move(document);
    path_ = path;
    unsaved_ = unsaved;
    autosaved_ = false;
    if (unsaved) autosave_.start();
    emit opened();
    emit savedChanged();
}

void Workspace::begin(const Session& session) {
    become(Document(session), {}, true);
}

void Workspace::open(const QString& path) {
    const auto file = toPath(QFileInfo(path).absoluteFilePath());
    Document loaded = loadDocument(file);
    bringModelsFrom(loaded.session(), store_, file);
    become(Document(withAbsolutePaths(loaded.session(), file), loaded.log()),
           QString::fromStdString(file.string()), false);
}

void Workspace::save(const QString& path) {
    const auto file = toPath(QFileInfo(path).absoluteFilePath());
    keepModelsBeside(session(), store_, file);
    saveDocument(file, Document(withRelativePaths(withPrintsBeside(session(), file), file),
                                document_.log()));
    path_ = QString::fromStdString(file.string());
    unsaved_ = false;
    QFile::remove(recoveryFile());
    emit savedChanged();
}

void Workspace::close() {
    QFile::remove(recoveryFile());
    become(Document(), {}, false);
}

void Workspace::announce(const Session& before) {
    const SessionDiff difference = diff(before, session());
    unsaved_ = true;
    autosaved_ = false;
    // Whoever works on without a pause is kept as well.
    if (!autosave_.isActive()) autosave_.start();
    emit changed(difference);
    emit savedChanged();
}

void Workspace::edit(Session next, const std::string& gesture, const std::vector<Why>& why) {
    if (next == session()) return;
    const Session before = session();
    document_.edit(std::move(next), gesture, why);
    announce(before);
}

void Workspace::attempt(const std::function<Session()>& make, const std::string& gesture) {
    try {
        edit(make(), gesture);
    } catch (const Error& e) {
        emit refused(QString::fromUtf8(e.what()));
    }
}

void Workspace::setValue(const std::string& row, const std::string& stage,
                         const std::string& parameter, double value, const std::string& gesture) {
    attempt([&] { return withStreamValue(session(), row, stage, parameter, value); }, gesture);
}

void Workspace::setKey(const std::string& row, const std::string& stage, const std::string& key) {
    attempt([&] { return withKey(session(), row, stage, key); });
}

void Workspace::addStage(const std::string& row, const std::string& type) {
    attempt([&] { return withStageAdded(session(), row, type); });
}

void Workspace::duplicateStage(const std::string& row, const std::string& stage) {
    attempt([&] { return withStageDuplicated(session(), row, stage); });
}

void Workspace::removeStage(const std::string& row, const std::string& stage) {
    attempt([&] { return withStageRemoved(session(), row, stage); });
}

void Workspace::usePreset(const std::string& row, const std::string& stage, const Stage& preset) {
    attempt([&] { return withPreset(session(), row, stage, preset); });
}

void Workspace::useChain(const std::string& row, std::vector<Stage> chain) {
    attempt([&] { return withChain(session(), row, std::move(chain)); });
}

void Workspace::setStageOn(const std::string& row, const std::string& stage, bool on) {
    edit(withStageOn(session(), row, stage, on));
}

void Workspace::moveStage(const std::string& row, const std::string& stage, int steps) {
    attempt([&] { return withStageMoved(session(), row, stage, steps); });
}

void Workspace::rename(const std::string& row, const std::string& name) {
    attempt([&] { return withName(session(), row, name); });
}
void Workspace::setRole(const std::string& row, Role role) {
    attempt([&] { return withRole(session(), row, role); });
}
void Workspace::setBus(const std::string& row, const std::string& bus) {
    attempt([&] { return withBus(session(), row, bus); });
}
void Workspace::removeBus(const std::string& bus) {
    attempt([&] { return withBusRemoved(session(), bus); });
}
void Workspace::setSend(const std::string& row, const Send& send, const std::string& gesture) {
    attempt([&] { return withSend(session(), row, send); }, gesture);
}
void Workspace::removeSend(const std::string& row, const std::string& bus) {
    attempt([&] { return withSendRemoved(session(), row, bus); });
}
void Workspace::pair(const std::string& left, const std::string& right) {
    attempt([&] { return withPaired(session(), left, right); });
}
void Workspace::part(const std::string& row) {
    attempt([&] { return withParted(session(), row); });
}
void Workspace::exchangeSides(const std::string& row) {
    attempt([&] { return withSidesExchanged(session(), row); });
}

void Workspace::setMute(const std::string& row, bool mute) {
    Session next = session();
    requireRow(next, row).mute = mute;
    edit(std::move(next));
}

void Workspace::setSolo(const std::string& row, bool solo) {
    Session next = session();
    requireRow(next, row).solo = solo;
    edit(std::move(next));
}

void Workspace::stepSolo(const std::string& row) {
    edit(withSoloStepped(session(), row));
}

void Workspace::setLoop(const LoopSpan& loop, const std::string& gesture) {
    Session next = session();
    next.loop = loop;
    edit(std::move(next), gesture);
}

void Workspace::undo() {
    if (!document_.canUndo()) return;
    const Session before = session();
    document_.undo();
    announce(before);
}

void Workspace::redo() {
    if (!document_.canRedo()) return;
    const Session before = session();
    document_.redo();
    announce(before);
}

void Workspace::keepClip(const std::string& snapshot, std::int64_t taken, const MixClip& clip) {
    if (!document_.keepClip(snapshot, taken, clip)) return;
    unsaved_ = true;
    autosaved_ = false;
    if (!autosave_.isActive()) autosave_.start();
    emit savedChanged();
}

void Workspace::tell(const std::string& text) {
    document_.note(text);
    announce(session());
}

void Workspace::addNote(const std::string& text, const std::string& row, const std::string& stage,
                        std::optional<double> at) {
    try {
        document_.addNote(text, row, stage, at);
        announce(session());
    } catch (const Error& e) {
        emit refused(QString::fromUtf8(e.what()));
    }
}

void Workspace::explain(std::size_t line, const std::string& reason) {
    document_.explain(line, reason);
    announce(session());
}

std::filesystem::path Workspace::printFolder() const {
    if (!path_.isEmpty()) return ember::printFolder(path_.toStdString());
    return std::filesystem::path(
               QStandardPaths::writableLocation(QStandardPaths::AppDataLocation).toStdString()) /
           "prints";
}

QString Workspace::recoveryFile() const {
    return QDir(recoveryFolder_)
        .filePath(QString("recovery-%1.json").arg(QCoreApplication::applicationPid()));
}

void Workspace::autosave() {
    if (empty() || !unsaved_) return;
    try {
        QDir().mkpath(recoveryFolder_);
        // The old path travels in the session's name line of a sidecar, so that the document stays
        // as it is.
        writeAtomically(toPath(recoveryFile() + ".path"), path_.toStdString(), false);
        writeAtomically(toPath(recoveryFile()), toJson(document_), false);
        autosaved_ = true;
        emit savedChanged();
    } catch (const Error& e) {
        emit refused(
            tr("The recovery copy could not be written: %1").arg(QString::fromUtf8(e.what())));
    }
}

QStringList Workspace::leftovers(const QString& recoveryFolder) {
    QStringList found;
    for (const QFileInfo& info :
         QDir(recoveryFolder).entryInfoList({"recovery-*.json"}, QDir::Files, QDir::Time)) {
        const auto pid = info.completeBaseName().mid(9).toLongLong();
        const bool alive = pid > 0 && ::kill(static_cast<pid_t>(pid), 0) == 0;
        if (!alive || pid == QCoreApplication::applicationPid()) found << info.absoluteFilePath();
    }
    return found;
}

void Workspace::recover(const QString& file) {
    Document loaded = loadDocument(toPath(file));
    QString path;
    if (QFile sidecar(file + ".path"); sidecar.open(QIODevice::ReadOnly))
        path = QString::fromUtf8(sidecar.readAll());
    loaded.note("Recovered after the program ended unexpectedly.");
    become(std::move(loaded), path, true);
    // The old copy goes only when the new one is there.
    autosave();
    if (autosaved_ && QFileInfo(file) != QFileInfo(recoveryFile())) discard(file);
}

void Workspace::discard(const QString& file) {
    QFile::remove(file);
    QFile::remove(file + ".path");
}

}  // namespace ember::app
