// The plans that run side by side, and which of them is heard.
//
// All of them run all the time. What is heard changes by a fade of 20 ms, on a frame of the song if
// wanted; plans wait for the latest of them, so that they are at the same place of the song.
// Belongs to the audio thread; everything but its making is real-time safe.
#pragma once

#include "core/engine/engine.h"
#include "core/engine/listening.h"
#include "core/engine/song_place.h"

#include <array>
#include <optional>

namespace ember {

// Where plans go that are no longer needed.
class Retired {
  public:
    virtual ~Retired() = default;
    virtual void take(Plan* plan) = 0;
};

class Residents {
  public:
    explicit Residents(Retired& retired) : retired_(retired) {}
    ~Residents();
    Residents(const Residents&) = delete;
    Residents& operator=(const Residents&) = delete;

    // The session's next plan takes its place once no fade is under way; one that nobody has heard
    // yet makes room for a newer one.
    void setNext(Plan* plan, std::uint32_t number);
    [[nodiscard]] bool mayKeep() const;
    // Only where it may.
    void keep(Plan* plan, std::uint32_t number, const PlanTime& time);
    void drop(std::uint32_t number);
    void listen(const Listen& what) { wanted_ = what; }
    // The plan of a number; null when it has gone.
    Plan* find(std::uint32_t number);

    // Before every block: exchanges what is due.
    void prepareBlock(const SongPlace& song);
    // Runs all plans and gives the block that is heard.
    void run(const BlockPlay& song, float* left, float* right);

    // Frames by which what is heard is late against the song.
    [[nodiscard]] int late() const { return late_; }
    [[nodiscard]] std::uint32_t session() const { return running_.front().number; }
    // Number of the kept plan that is heard, or is being faded in; 0: the session's.
    [[nodiscard]] std::uint32_t heard() const;
    [[nodiscard]] std::int64_t stoppedBlocks() const;

  private:
    struct Running {
        Plan* plan = nullptr;
        std::uint32_t number = 0;
        PlanClock clock;
        Frames fill = 0;  // frames until all that is late in it is there
        bool dropped = false;
    };
    // The session's where there is none of that number.
    Running& running(std::uint32_t number);
    // How long a row's sound waits for the latest plan.
    [[nodiscard]] int wait(const Plan* plan, int row) const;
    // Plans came or went: all wait for the latest of them.
    void meet();
    void exchangeWhenDue();
    void listenWhenDue(const SongPlace& song);
    // A row of a running plan, so late that it meets the others; of a plan without such a row its
    // main.
    [[nodiscard]] HeardRow heardRow(const Plan* plan, int row, float gain) const;
    [[nodiscard]] HeardRow heardRow(const Plan* plan, int row, double gainDb) const;
    // From what is heard to something else, `after` frames from the next block on at the soonest.
    void fadeTo(const Heard& what, Frames after);
    void endFade();
    // Whoever is dropped and not heard any more.
    void letGo();

    Retired& retired_;
    std::array<Running, 1 + Engine::kMostKept> running_;  // the first: the session's
    Plan* next_ = nullptr;
    std::uint32_t nextNumber_ = 0;
    Plan* leaving_ = nullptr;  // was the session's, until it has faded
    std::array<Listening, 2> heard_;
    std::size_t now_ = 0;  // of the two, the one that is heard or comes
    bool fading_ = false;
    int fadeAt_ = 0;  // negative: frames until the fade begins
    std::optional<Listen> wanted_;
    int late_ = 0;
};

}  // namespace ember
