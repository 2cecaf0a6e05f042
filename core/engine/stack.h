// A stack of layers: which sound starts when, how loud, and until when, worked out beforehand from
// the strokes and notes of its drum.
//
// What it plays at a place of the song depends on nothing but that place: a seek, a loop, a render
// and any cut of time into blocks give the same samples.
#pragma once

#include "core/engine/layer_sound.h"
#include "core/session/session.h"

#include <memory>
#include <string>
#include <vector>

namespace ember {

// A sound that a stroke started, in frames of song time.
struct Voice {
    Frames start = 0, end = 0;  // [start, end)
    Frames cut = 0;             // from here on it is faded away until `end`; `end`: not cut short
    int layer = 0;              // of the row
    int stroke = 0;             // which of the drum's strokes started it, in order of time
    float left = 1.0F, right = 1.0F;  // gains
    std::shared_ptr<const AudioBuffer> sound;
};

// Adds what a voice sounds in [from, from + frames) of one of two channels. Real-time safe.
void addVoice(const Voice& voice, int channel, Frames from, int frames, float* out);

// A layer that is on, ready to be struck.
struct ReadyLayer {
    int place = 0;  // in the row
    Layer layer;
    std::vector<std::shared_ptr<const AudioBuffer>> sounds;  // at least one
    Frames late = 0;                                         // behind the stroke; negative: early
    Frames fade = 0;  // over which it goes where it is cut short

    // Its sound in turn, from a frame on, as a stroke of that velocity starts it. Real-time safe.
    [[nodiscard]] Voice voice(std::size_t turn, Frames start, double velocity) const;
};
// The layers of a row that are on and can be opened; the others are told in `problems`, a sentence
// each. Not real-time safe.
std::vector<ReadyLayer> readyLayers(const Session& session, const Row& row, AudioStore& store,
                                    std::vector<std::string>& problems);

class Stack {
  public:
    static constexpr int kMostVoices = 64;  // at once; beyond, the oldest gives way

    // Voices in any order; chokes and the limit are not looked at any more.
    explicit Stack(std::vector<Voice> voices);

    // What sounds in [from, from + frames) of one of two channels. Real-time safe; any thread.
    void read(int channel, Frames from, int frames, float* out) const;
    // Where the last sound ends; 0 where there is none.
    [[nodiscard]] Frames end() const { return end_; }
    [[nodiscard]] const std::vector<Voice>& voices() const { return voices_; }

  private:
    std::vector<Voice> voices_;  // by start
    Frames longest_ = 0, end_ = 0;
};

// Whether a layer's rules let a stroke start it; `count`: how many before it were of its way and
// not spared, which goes on. Real-time safe.
bool isStruck(const Layer& layer, const Stroke& stroke, long& count);
// The strokes of the row's drum that start a layer, as places in `strokes` (those of the drum, in
// order of time). Pure.
std::vector<std::size_t> struckBy(const Layer& layer, const std::vector<Stroke>& strokes);

// The stack of a row: its layers, struck as their rules say. Not real-time safe.
std::shared_ptr<const Stack> makeStack(const Session& session, const Row& row,
                                       const std::vector<ReadyLayer>& layers);

}  // namespace ember
