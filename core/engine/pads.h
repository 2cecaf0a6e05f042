// A row's layers, struck by hand while they are listened to.
//
// What is struck sounds from the next block on, whether the song plays or stands, by the rules of
// the layers; a layer that is struck early comes at once. Nothing of it is in a render: what is to
// stay becomes notes of the pattern. Belongs to the audio thread; everything but its making is
// real-time safe.
#pragma once

#include "core/engine/stack.h"

#include <array>
#include <memory>
#include <vector>

namespace ember {

class Pads {
  public:
    explicit Pads(std::vector<ReadyLayer> layers);

    // 0..1; 0 is the usual way of striking.
    void strike(double velocity, int articulation);
    // Adds what sounds, and goes on by it.
    void add(const AudioBlock& out);
    // Goes on with what sounds in another row's pads, where both hold the same sound.
    void adopt(const Pads& other);
    [[nodiscard]] int sounding() const { return static_cast<int>(count_); }

  private:
    struct Sounding {
        Voice voice;
        int choke = 0;
        Frames fade = 0;
    };
    // More may fade away at once than may sound.
    static constexpr std::size_t kMost = Stack::kMostVoices + 16;

    void cutShort(Sounding& sounding, Frames at);
    void start(const ReadyLayer& layer, const Voice& voice);
    void leave(std::size_t place);

    std::vector<ReadyLayer> layers_;
    std::vector<long> counts_;              // by layer: strokes its rules were asked about
    std::vector<std::size_t> turns_;        // by layer: near-twins take turns
    std::array<Sounding, kMost> sounding_;  // the oldest first
    std::size_t count_ = 0;
    Frames now_ = 0;
    int blows_ = 0;
};

}  // namespace ember
