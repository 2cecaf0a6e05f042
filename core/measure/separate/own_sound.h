// A drum's own sound in one microphone, shaped by what the kit was taken apart by: its strokes
// towards one another in fine bands, and the room it excites there.
#pragma once

#include "core/measure/separate/bleed_model.h"

#include <cstdint>
#include <vector>

namespace ember {

struct OwnShape {
    // How far every stroke goes towards what is usual of the drum for one struck as hard, 0..1:
    // what rings, or lacks, in a band on some strokes only. A stroke's loudness stays.
    double even = 0.0;
    // How far soft strokes go towards the balance of hard ones, 0..1; their loudness stays.
    double crisp = 0.0;
    // The room the drum excites, linear; 1 leaves it.
    double room = 1.0;

    [[nodiscard]] bool shapes() const { return even != 0.0 || crisp != 0.0 || room != 1.0; }
};

// Strokes that a drum needs before anything is usual of it.
inline constexpr std::size_t kUsualStrokes = 12;

// Gains by window and band, and by place in the drum's picture and band. What is usual is read from
// all a stroke gives until the drum is struck again, moment by moment and band by band, of strokes
// about as loud. What is too much goes, by no more than 12 dB; what lacks comes back half-way, by
// no more than 6; where a drum has fewer than twelve strokes nothing is usual, and they stay.
//
// Late sound is as loud everywhere in a room (diffuse field: Kuttruff, Room Acoustics, 6th ed.
// 2016, ch. 5): what others give this microphone late on, against what they give those that stand
// in the room, says how loud it hears the room in each band; that of the drum itself there is its
// room here. Where no microphone stands in the room, or no other drum is heard, none is told apart.
class OwnSound {
  public:
    // `room`: channels of microphones that stand in the room. Pure; the model need not outlive it.
    OwnSound(const BleedModel& model, int channel, int drum, const OwnShape& shape,
             const std::vector<int>& room);

    // For all that the drum gives in a window.
    [[nodiscard]] float at(std::size_t window, std::size_t band) const {
        return even_.empty() ? 1.0F : even_[window * bands_ + band];
    }
    // For a part of that: what a stroke gives so many windows on.
    [[nodiscard]] float roomAt(std::size_t place, std::size_t band) const {
        return room_.empty() ? 1.0F : room_[place * bands_ + band];
    }

  private:
    std::size_t bands_;
    std::vector<float> even_, room_;
};

// The part of a drum's picture in a channel that is room, 0..1, by window and band.
std::vector<float> roomShare(const BleedModel& model, int channel, int drum,
                             const std::vector<int>& room);

}  // namespace ember
