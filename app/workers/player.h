// Keeps the engine playing what the session says, and tells the views what it does.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/plan_maker.h"
#include "core/engine/engine.h"
#include "devices/device.h"

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>

#include <array>
#include <atomic>
#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <optional>

namespace ember::app {

// What a comparison passes by.
enum class CompareScope { cell, row, everything, effects };
constexpr bool ofOneRow(CompareScope scope) {
    return scope == CompareScope::cell || scope == CompareScope::row;
}

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
        return plan_ != nullptr && !maker_.busy() && !preview_.maker.busy() &&
               !passedBy_.maker.busy() && !reference_.maker.busy() &&
               (referenceRow_.empty() || referenceDb_.has_value()) &&
               (!comparing_ || variantsReady());
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
    [[nodiscard]] bool hearingWithoutEffects() const {
        return before_ && compared_.scope == CompareScope::effects;
    }
    // Whether groups (moveWhenWanted) and effects change from the next beat on, or at once.
    void setOnBeat(bool on) { onBeat_ = on; }
    // An edit whose moves are heard from then on.
    void moveWhenWanted(const std::function<void()>& edit);
    [[nodiscard]] QString compareText() const { return compareText_; }

    // Where loudness is compared, in seconds: the loop, or eight seconds from the playhead.
    [[nodiscard]] std::array<double, 2> comparedSpan(const Session& session) const;

    // Plays this in place of the open session, from the next beat on (at once while stopped); none
    // goes back the same way. The next edit ends it. `gainDb`: by how much it is turned.
    void preview(std::optional<Session> instead, double gainDb = 0.0);
    // Whether it is heard.
    [[nodiscard]] bool previewing() const { return previewHeard_; }
    // Plays a reference in place of the mix, as loud as the mix is (over the loop, or over eight
    // seconds from the playhead), from the next beat on, at once while stopped; none goes back the
    // same way.
    void hearReference(const std::string& row);
    // The one that is to be heard; empty: none.
    [[nodiscard]] const std::string& reference() const { return referenceRow_; }
    // What is known of it: that it is measured, or by how much it was turned; empty: none is heard.
    [[nodiscard]] QString referenceText() const;

    // --- Two mixes in turn (player_variants.cpp)
    // Each is the session as it is (none), or another one in its place.
    using Variants = std::array<std::optional<Session>, 2>;
    // Keeps both running and weighs them over the loop, or over eight seconds from the playhead, at
    // a row (empty: the main). They stay until endVariants() or until another session is opened;
    // who compares says so anew after an edit.
    void setVariants(const Variants& variants, const std::string& row);
    void endVariants();
    // What of them is heard, from the next beat on: one, the second as loud as the first, or the
    // first less the second at that level; none: the session. Not before both are there and their
    // levels are right.
    enum class Side { first, second, difference };
    void hearVariant(std::optional<Side> side);
    [[nodiscard]] std::optional<Side> variant() const { return heardSide_; }
    // By how much the difference is grown, dB.
    void growDifference(double db);
    [[nodiscard]] bool variantsReady() const;
    // By how much the second is turned; none: still measured.
    [[nodiscard]] std::optional<double> variantDb() const { return variantDb_; }

    // --- Played by hand (player_pads.cpp)
    // Strikes a row's layers in whatever is heard; velocity 0..1.
    void strike(const std::string& row, double velocity, int articulation = 0);
    // Whether what is struck while the song plays is kept: when that is turned off, or the song
    // stops, it is given by played().
    void setKeeping(bool on);
    [[nodiscard]] bool keeping() const { return keeping_; }
    // A click on every beat of the song, in what is heard alone.
    void setClick(bool on) { engine_.setClick(on); }
    // Whether a song that is played to keep what is struck begins behind a bar of click.
    void setCountIn(bool on) { countIn_ = on; }

    void useDevice(const DeviceRequest& request);
    [[nodiscard]] DeviceState device() const;
    [[nodiscard]] QString deviceNote() const { return deviceNote_; }

    // The loudest of the last frames, for row `id`; null before the first.
    [[nodiscard]] const RowMeter* meter(const std::string& id) const;
    [[nodiscard]] const MeterFrame& frame() const { return shown_; }
    // What a row gives in what is heard: live before anything is.
    [[nodiscard]] Plan::Gives gives(const std::string& row) const;
    // That it is frozen, or rests, as people read it; empty where it plays live.
    [[nodiscard]] QString givesText(const std::string& row) const;
    // By how much a row is late behind its chain; none before it is played.
    [[nodiscard]] std::optional<double> lateMs(const std::string& row) const;
    [[nodiscard]] int latencyFrames() const { return plan_ != nullptr ? plan_->latency() : 0; }

  signals:
    void tick();  // about 30 times a second
    void playingChanged(bool playing);
    void planReady();
    void problem(const QString& sentence);
    void compareChanged();
    void previewChanged(bool heard);
    void referenceChanged();
    void variantChanged();
    void deviceChanged();
    void played(const std::vector<ember::Played>& take);

  private:
    // A plan that the engine keeps beside the session's.
    struct Beside {
        explicit Beside(Workspace& workspace) : maker(workspace) {}
        PlanMaker maker;
        std::optional<Session> planned;  // of plan
        Plan* plan = nullptr;            // the engine owns it
        std::uint32_t number = 0;
    };

    void sync();
    void install(PlanMaker::Made& made);
    // Takes what was made into the engine, in place of the one before, which is let go.
    void keep(Beside& beside, PlanMaker::Made& made);
    void drop(Beside& beside);
    // Moves a plan along with the session; false where that takes another plan.
    bool follow(Plan& plan, Session& planned, const Session& now, std::uint32_t number);
    [[nodiscard]] const Session& wanted() const;
    // What is to be heard now, or with a frame of the song.
    void listen(Frames at = -1);
    [[nodiscard]] Frames nextBeatAt() const;  // -1 while stopped
    void endPreview();
    void poll();
    void showPreview(bool heard);
    void prefetch(Frames from, Frames frames) const;
    void holdAround(Frames position);
    void takeMeters();
    void openDevice();
    void setLoop(const Session& of);
    // --- Before and after (player_compare.cpp)
    // What is compared, by names: places change with every plan.
    struct Compared {
        CompareScope scope = CompareScope::everything;
        std::string row;
        std::vector<std::string> stages;
        bool operator==(const Compared&) const = default;
    };
    void endCompare();
    // `whole`: the session with what is compared in it, against which it is matched.
    // False where there is nothing to compare.
    bool compareWith(const Compared& what, const Session& whole);
    // What the plan beside the session's is made of.
    [[nodiscard]] Session passed(const Session& now) const;
    void hearPassed();
    void passBy();  // tells the plan what it passes by, and by how much that is matched
    void match(const Session& whole);
    [[nodiscard]] QString comparedText() const;
    void planReference();
    void weighReference();
    void weighVariants();
    void takeStruck();
    [[nodiscard]] Frames countIn() const;
    void variantMade(std::size_t side, PlanMaker::Made& made);
    [[nodiscard]] Listen variantHeard() const;
    Workspace& workspace_;
    OpenDevice open_;
    Engine engine_;
    std::unique_ptr<AudioDevice> device_;
    DeviceRequest request_;
    QString deviceNote_;
    bool unplugged_ = false;

    PlanMaker maker_;
    std::vector<FrameSpan> held_;  // of the song, by the session's plan
    std::uint32_t heldBy_ = 0;     // its number
    Plan* plan_ = nullptr;         // the one last given to the engine, which owns it
    Session planned_;
    std::uint32_t planNumber_ = 0;  // of plan_
    bool fresh_ = true;

    Beside preview_;
    std::optional<Session> previewed_;
    // Of the preview and of the one before it; they stay while they are heard out.
    std::uint32_t previewNumber_ = 0, previewBefore_ = 0;
    bool previewHeard_ = false;
    double previewDb_ = 0.0;  // its gain
    Beside reference_;
    std::string referenceRow_;
    Row referenceAs_;                    // as it was planned
    std::optional<double> referenceDb_;  // its gain; none: still measured
    Errand<double> weighing_;
    std::atomic<bool> abandonWeighing_{false};
    struct Variant {
        explicit Variant(Workspace& workspace) : beside(workspace) {}
        std::optional<Session> mix;  // none: the session's own plan
        Beside beside;
    };
    std::array<Variant, 2> variants_;
    bool comparing_ = false;
    std::string heardRow_;
    std::optional<Side> heardSide_;
    double grownDb_ = 0.0;
    std::optional<double> variantDb_;
    Errand<double> weighingVariants_;
    std::atomic<bool> abandonVariants_{false};
    QElapsedTimer polled_;  // since the position that is shown

    bool keeping_ = false, countIn_ = false;
    std::map<std::uint32_t, Played> asked_;  // struck, by number, of which nobody knows yet when
    std::vector<Played> take_;

    QTimer timer_;
    MeterFrame shown_;
    std::vector<RowMeter> meters_;  // by row of plan_; empty until it is heard
    bool playing_ = false;
    double monitorDb_ = -24.0, loudSeconds_ = 0.0, loudMean_ = 0.0;

    bool onBeat_ = false;
    Frames moveAt_ = -1;                      // of the moves that are sent now
    bool before_ = false, switched_ = false;  // switched: before, by a step that is off
    QString compareText_;
    std::shared_ptr<double> match_;
    Errand<void> matching_;
    // The session with what is compared passed by; kept for a while when it is not heard any more.
    Beside passedBy_;
    QTimer idle_;
    Compared compared_;
    double matchedDb_ = 0.0;  // the gain by which it was matched
    std::atomic<bool> abandonMatch_{false};
};

}  // namespace ember::app
