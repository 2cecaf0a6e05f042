// Keeps with every snapshot a few seconds of how it sounds, and plays them in place of the mix.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/player.h"
#include "app/workers/watch.h"
#include "app/workers/workspace.h"

#include <QObject>

#include <atomic>
#include <filesystem>
#include <string>
#include <vector>

namespace ember::app {

// Window's thread only.
class ClipKeeper : public QObject {
    Q_OBJECT
  public:
    ClipKeeper(Workspace& workspace, Player& player, QObject* parent = nullptr);
    // Clips of a session that was never saved are needed by nobody then.
    ~ClipKeeper() override;

    // Takes a snapshot, as one edit; its clip (the loop, or eight seconds from the playhead) is
    // rendered behind the window and belongs to that edit.
    void take(const std::string& name);
    // Plays the clip of a snapshot, as loud as the mix is there, until it is asked for once more,
    // another one is, it is stopped, or something is edited.
    void hear(const std::string& snapshot);
    void stop();
    [[nodiscard]] bool busy() const { return making_.isRunning() || weighing_.isRunning(); }
    // Id of the snapshot whose clip is heard, or will be; empty: none.
    [[nodiscard]] const std::string& heard() const { return heard_; }

  signals:
    void changed();  // what is heard, or that a snapshot has its clip now
    void failed(const QString& sentence);

  private:
    struct Made {
        std::string snapshot;
        std::int64_t taken = 0;
        bool unkept = false;  // its session had no file then
        MixClip clip;
    };
    void keep();
    void play();

    Workspace& workspace_;
    Player& player_;
    Errand<Outcome<Made>> making_;
    Errand<Outcome<double>> weighing_;
    std::atomic<bool> abandon_{false};
    std::string heard_;
    std::vector<std::filesystem::path> unkept_;
};

}  // namespace ember::app
