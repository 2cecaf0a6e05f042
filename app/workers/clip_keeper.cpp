#include "app/workers/clip_keeper.h"

#include "core/base/background.h"
#include "core/report/mix_clip.h"
#include "core/session/snapshot.h"

#include <QDateTime>
#include <QtConcurrent/QtConcurrentRun>

namespace ember::app {
namespace fs = std::filesystem;
ClipKeeper::ClipKeeper(Workspace& workspace, Player& player, QObject* parent)
    : QObject(parent), workspace_(workspace), player_(player) {
    connect(&making_, &QFutureWatcherBase::finished, this, &ClipKeeper::keep);
    connect(&weighing_, &QFutureWatcherBase::finished, this, &ClipKeeper::play);
    const auto silent = [this] {
        if (heard_.empty()) return;
        heard_.clear();
        emit changed();
    };
    connect(&player_, &Player::previewChanged, this, [this, silent](bool heard) {
        if (!heard && !weighing_.isRunning()) silent();
    });
    connect(&workspace_, &Workspace::changed, this, silent);
    connect(&workspace_, &Workspace::opened, this, silent);
}

ClipKeeper::~ClipKeeper() {
    abandon_ = true;
    making_.waitForFinished();
    weighing_.waitForFinished();
    std::error_code none;
    for (const fs::path& file : unkept_) fs::remove(file, none);
}

void ClipKeeper::take(const std::string& name) {
    if (workspace_.empty()) return;
    std::string id;
    const std::int64_t now = QDateTime::currentSecsSinceEpoch();
    try {
        Session next = withSnapshotTaken(workspace_.session(), name, {}, now);
        id = next.snapshots.back().id;
        workspace_.edit(std::move(next));
    } catch (const std::exception& error) {
        return emit failed(QString::fromUtf8(error.what()));
    }
    // One at a time: a snapshot without a clip is a snapshot all the same.
    if (making_.isRunning()) return;
    const auto span = player_.comparedSpan(workspace_.session());
    abandon_ = false;
    making_.setFuture(
        QtConcurrent::run([this, id, now, span, unkept = workspace_.path().isEmpty(),
                           folder = workspace_.printFolder(), session = workspace_.session(),
                           store = &workspace_.store()] {
            stepBack();
            const Progress watch = watchedBy(this, abandon_, [](double, const QString&) {});
            return outcomeOf(QString(), [&] {
                return Made{id, now, unkept,
                            makeClip(session, *store, id, span[0], span[1], folder, watch)};
            });
        }));
}

void ClipKeeper::keep() {
    const Outcome<Made> made = making_.result();
    if (!made.problem.isEmpty())
        return emit failed(tr("The snapshot has no clip: %1").arg(made.problem));
    const auto& [id, taken, unkept, clip] = made.value;
    if (unkept) unkept_.emplace_back(clip.audio.front().file);
    workspace_.keepClip(id, taken, clip);
    emit changed();
}

void ClipKeeper::hear(const std::string& snapshot) {
    if (weighing_.isRunning()) return;
    const bool again = snapshot == heard_;
    heard_.clear();
    const Snapshot* found = findSnapshot(workspace_.session(), snapshot);
    if (again || found == nullptr || !found->clip) {
        player_.preview({});
    } else {
        heard_ = snapshot;
        abandon_ = false;
        weighing_.setFuture(QtConcurrent::run([this, clip = *found->clip,
                                               session = workspace_.session(),
                                               store = &workspace_.store()] {
            const Progress watch = watchedBy(this, abandon_, [](double, const QString&) {});
            return outcomeOf(QString(), [&] { return clipGainDb(session, *store, clip, watch); });
        }));
    }
    emit changed();
}

void ClipKeeper::stop() {
    if (heard_.empty()) return;
    heard_.clear();
    player_.preview({});
    emit changed();
}

void ClipKeeper::play() {
    const Outcome<double> gain = weighing_.result();
    const Snapshot* found = findSnapshot(workspace_.session(), heard_);
    if (found == nullptr || !found->clip) return;
    if (!gain.problem.isEmpty()) {
        heard_.clear();
        emit changed();
        return emit failed(gain.problem);
    }
    player_.preview(clipAlone(workspace_.session(), *found->clip, found->name), gain.value);
    emit changed();
}

}  // namespace ember::app
