// The click that is heard with the song, and before it when it is counted in. It is nowhere in a
// mix: it is added to what the engine plays, behind everything.
#pragma once

#include "core/base/units.h"
#include "core/session/time_map.h"

#include <span>
#include <vector>

namespace ember {

struct Beat {
    Frames at = 0;       // of the song; may lie before its beginning
    bool first = false;  // of a bar
};
// The beats of a song up to a frame, from two bars before its beginning on. Pure.
std::vector<Beat> beatsOf(const TimeMap& time, double sampleRate, Frames until);

// Audio thread; everything is real-time safe.
class Click {
  public:
    void prepare(double sampleRate);
    void setOn(bool on) { on_ = on; }
    [[nodiscard]] bool on() const { return on_; }
    // Adds to a block that begins where the song stands at `heard`: its beats, and what still
    // sounds of the one before. `beats` ascend.
    void add(std::span<const Beat> beats, Frames heard, float* left, float* right);
    // Adds what still sounds, and nothing new.
    void ring(float* left, float* right);

  private:
    void sound(float* left, float* right, int from);
    void strike(bool first);

    bool on_ = false;
    double rate_ = 48000.0, phase_ = 0.0, step_ = 0.0, level_ = 0.0, fall_ = 0.0;
};

}  // namespace ember
