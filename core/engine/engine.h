// The live engine: transport, monitor and meters around compiled plans.
//
// One plan is the session's; others can be kept beside it (another order, a chain passed by, a
// reference) and are listened to in turn. All of them run all the time, so that a change from one
// to another is heard as if each had played from the beginning; what differs in latency is made up
// for, so that they are at the same place of the song.
//
// process() is the audio callback: no allocation, lock, file, log or system call. All other
// functions belong to one control thread and reach the callback through wait-free
// queues; plans that are no longer needed come back the same way and are freed there.
#pragma once

#include "core/engine/plan.h"
#include "core/engine/plan_clock.h"

#include <cstdint>
#include <memory>
#include <optional>

namespace ember {

// What happened since the last meter frame; one per callback, wait-free.
struct MeterFrame {
    Frames position = 0;  // song time heard at the end of the callback
    bool playing = false;
    std::uint32_t plan = 0;   // number of the session's plan; Plan::takeMeter has its rows
    std::uint32_t heard = 0;  // number of the plan that is heard, or is being faded in
    float monitorPeak[2] = {0.0F, 0.0F};
    float monitorMeanSquare = 0.0F;
    std::int64_t stoppedBlocks = 0;
};

// What is to be heard.
struct Listen {
    std::uint32_t plan = 0;  // of keep(); 0, or one that has gone: the session's
    int row = -1;            // of that plan; -1: its main
    double gainDb = 0.0;
    // From which frame of the song on, to the sample; negative, standing still, or when the
    // transport has gone elsewhere: at once. Faded over 20 ms.
    Frames at = -1;
    // What is taken away from it: another row of any plan at a gain. Two mixes that are alike leave
    // silence, so what is heard is what differs.
    struct Less {
        std::uint32_t plan = 0;
        int row = -1;
        double gainDb = 0.0;
    };
    std::optional<Less> less{};
};

// A row's layers, struck by hand.
struct Strike {
    int row = 0;            // of the plan
    double velocity = 0.9;  // 0..1
    int articulation = 0;   // 0: the usual way
};
// When a strike was: where in the song what was heard then stood. One just before a song that is
// being counted in is played with it.
struct Struck {
    std::uint32_t number = 0;  // of strike()
    Frames position = 0;
    bool playing = false;
};

class Engine {
  public:
    static constexpr int kMostKept = 8;         // plans beside the session's
    static constexpr double kCeilingDb = -1.0;  // the monitor never exceeds this

    Engine();
    ~Engine();
    Engine(const Engine&) = delete;
    Engine& operator=(const Engine&) = delete;

    // --- Control thread -------------------------------------------------------
    // Puts a new plan of the session into service, at once (faded over 20 ms where it is heard).
    // Returns its number. The plan must have been compiled for one thread.
    std::uint32_t setPlan(std::unique_ptr<Plan> plan, double sampleRate);
    // Keeps a plan beside it, which goes on where the session's is, in whatever both hold alike.
    // Nothing of it is heard until it is listened to. Returns its number. Throws Error when
    // kMostKept are kept.
    std::uint32_t keep(std::unique_ptr<Plan> plan, double sampleRate, const PlanTime& time = {});
    // Lets a kept plan go; heard, not before something else is: what is to be heard next, or the
    // session's at once.
    void drop(std::uint32_t plan);
    // Takes the place of what was to be heard next.
    void listen(const Listen& what);
    // `countIn`: from so many frames on, which nothing but the click is heard in, until the song
    // begins where it stands.
    void play(Frames countIn = 0);
    void stop();
    // Song time in frames; taken to the block grid.
    void seek(Frames position);
    void setLoop(bool on, Frames from, Frames to);
    // In the session's newest plan, or in a kept one; from a frame of the song on (to the block of
    // 64, where what comes out of the row is that frame's), under the terms of Listen::at. A later
    // move of the same thing takes its place.
    void move(const PlanMove& move, std::uint32_t plan = 0, Frames at = -1);
    void audition(const Audition& audition, std::uint32_t plan);
    // In the session's newest plan, and in a kept one. Returns its number.
    std::uint32_t strike(const Strike& strike, std::uint32_t plan = 0);
    // When the next strike in the session's plan was; false when none is waiting.
    bool pollStruck(Struck& struck);
    // The click on the session's beats, with the song and where it is counted in.
    void setClick(bool on);
    void setMonitorDb(double db);  // -90 is silent
    void setDim(bool dim);         // 12 dB down
    // Next meter frame, false when none is waiting.
    bool poll(MeterFrame& frame);
    // Frees plans that the callback has let go.
    void collect();

    // --- Audio thread ---------------------------------------------------------
    // `frames` of both sides, any number from 1 up.
    void process(float* left, float* right, int frames);

  private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

}  // namespace ember
