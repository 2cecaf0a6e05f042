// Keeps the engine playing what the session says, and tells the views what it does.
#pragma once

#include "app/workers/workspace.h"
#include "core/engine/engine.h"
#include "devices/device.h"

#include <QElapsedTimer>
#include <QFutureWatcher>
#include <QObject>
#include <QTimer>

#include <atomic>
#include <cstdint>
#include <memory>
#include <optional>

namespace ember::app {

// What a comparison passes by.
enum class CompareScope { cell, row, everything };

// Window's thread only.
class Player : public QObject {
    Q_OBJECT
  public:
    // A function that makes the device lets tests play on one they hold in their hands.
    using OpenDevice = std::function<std::unique_ptr<AudioDevice>(const DeviceRequest&,
                                                                  AudioCallback, std::string& why)>;

    Player(Workspace& workspace, OpenDevice openDevice, QObject* parent = nullptr);
    ~Player() override;

    void play();
    void stop();
    void toggle() { playing_ ? stop() : play(); }
    void seek(double seconds);
    [[nodiscard]] bool playing() const { return playing_; }
    // Whether what is wanted is what plays, or would.
    [[nodiscard]] bool ready() const {
        return plan_ != nullptr && !compiling_.isRunning() && !waiting_;
    }
    [[nodiscard]] double position() const;  // seconds of song time, as heard
    [[nodiscard]] double length() const;    // seconds

    void setMonitorDb(double db);
    [[nodiscard]] double monitorDb() const { return monitorDb_; }
    // Minutes for which the monitor has been loud, since the start.
    [[nodiscard]] double loudMinutes() const { return loudSeconds_ / 60.0; }

    // Before (processing passed by) or after. Matched in loudness over the loop, or over
    // eight seconds from the playhead.
    void compare(bool before, CompareScope scope, const std::string& row,
                 const std::vector<std::string>& stages);
    // A stage was switched by hand: off, it is heard as loud as it was on, until it is on again or
    // something else is compared.
    void matchSwitched(const std::string& row, const std::string& stage, bool on);
    [[nodiscard]] bool hearingBefore() const { return before_; }
    [[nodiscard]] QString compareText() const { return compareText_; }

    // Plays this in place of the open session, from the next beat on (at once while stopped); none
    // goes back the same way. The next edit ends it.
    void preview(std::optional<Session> instead);
    // Whether it is heard.
    [[nodiscard]] bool previewing() const { return previewHeard_; }

    void useDevice(const DeviceRequest& request);
    [[nodiscard]] DeviceState device() const;
    [[nodiscard]] QString deviceNote() const { return deviceNote_; }

    // The loudest of the last frames, for row `id`; null before the first.
    [[nodiscard]] const RowMeter* meter(const std::string& id) const;
    [[nodiscard]] const MeterFrame& frame() const { return shown_; }
    [[nodiscard]] int latencyFrames() const { return plan_ != nullptr ? plan_->latency() : 0; }

  signals:
    void tick();  // about 30 times a second
    void playingChanged(bool playing);
    void planReady();
    void problem(const QString& sentence);
    void compareChanged();
    void previewChanged(bool heard);
    void deviceChanged();

  private:
    struct Compiled {
        std::unique_ptr<Plan> plan;
        Session session;
        QString error;
    };

    void sync();
    void compileNow();
    void compiled();
    void install(Frames at);  // the plan that waits, with this frame of the song; -1: at once
    [[nodiscard]] const Session& wanted() const;
    void waitForBeat();
    void poll();
    void takeMeters();
    void openDevice();
    void endCompare();
    void match(CompareScope scope, const std::string& row, const Session& session);

    Workspace& workspace_;
    OpenDevice open_;
    Engine engine_;
    std::unique_ptr<AudioDevice> device_;
    DeviceRequest request_;
    QString deviceNote_;
    bool unplugged_ = false;

    Plan* plan_ = nullptr;  // the one last given to the engine, which owns it
    Session planned_;
    std::shared_ptr<Compiled> result_;
    QFutureWatcher<void> compiling_;
    std::atomic<bool> abandon_{false};
    bool fresh_ = true;
    std::optional<Session> preview_;
    bool previewHeard_ = false;
    std::shared_ptr<Compiled> waiting_;  // for the beat
    QTimer beat_;
    Frames beatAt_ = 0;             // of the song
    std::uint32_t planNumber_ = 0;  // of plan_
    QElapsedTimer polled_;          // since the position that is shown

    QTimer timer_;
    MeterFrame shown_;
    std::vector<RowMeter> meters_;  // by row of plan_; empty until it is heard
    bool playing_ = false;
    double monitorDb_ = -24.0, loudSeconds_ = 0.0, loudMean_ = 0.0;

    bool before_ = false, switched_ = false;  // switched: before, by a step that is off
    QString compareText_;
    std::shared_ptr<double> match_;
    QFutureWatcher<void> matching_;
    Audition audition_;
    // What is compared, by names: places change with every plan.
    struct Compared {
        CompareScope scope = CompareScope::everything;
        std::string row;
        std::vector<std::string> stages;
    };
    Compared compared_;
    double matchedDb_ = 0.0;  // the gain by which it was matched
    // Finds it in the present plan; false where it is not in it.
    bool placeAudition(const Session& session);
    std::atomic<bool> abandonMatch_{false};
};

}  // namespace ember::app
