// The live engine: transport, monitor and meters around a compiled plan.
//
// process() is the audio callback: no allocation, lock, file, log or system call. All other
// functions belong to one control thread and reach the callback through wait-free
// queues; plans that are no longer needed come back the same way and are freed there.
#pragma once

#include "core/engine/plan.h"

#include <cstdint>
#include <memory>

namespace ember {

// What happened since the last meter frame; one per callback, wait-free.
struct MeterFrame {
    Frames position = 0;  // song time heard at the end of the callback
    bool playing = false;
    std::uint32_t plan = 0;  // number of the plan that is heard; Plan::takeMeter has its rows
    float monitorPeak[2] = {0.0F, 0.0F};
    float monitorMeanSquare = 0.0F;
    std::int64_t stoppedBlocks = 0;
};

class Engine {
  public:
    static constexpr double kCeilingDb = -1.0;  // the monitor never exceeds this

    Engine();
    ~Engine();
    Engine(const Engine&) = delete;
    Engine& operator=(const Engine&) = delete;

    // --- Control thread -------------------------------------------------------
    // Puts a new plan into service (faded over 20 ms while another one sounds): at once, or while
    // playing so that the fade begins with frame `at` of the song being heard, to the sample.
    // Returns its number. The plan must have been compiled for one thread.
    std::uint32_t setPlan(std::unique_ptr<Plan> plan, double sampleRate, Frames at = -1);
    void play();
    void stop();
    // Song time in frames; taken to the block grid.
    void seek(Frames position);
    void setLoop(bool on, Frames from, Frames to);
    void move(const PlanMove& move);
    void audition(const Audition& audition, double monitorGainDb);
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
