// What each drum of a bleed model gives one channel. See bleed_model.h.
#pragma once

#include "core/measure/separate/own_sound.h"

#include <algorithm>
#include <cstdint>
#include <span>
#include <vector>

namespace ember {

// Windows of a hit's picture that lie within a stretch [first, first + count): calls
// each(place in the picture, place in the stretch).
template <typename Each>
void eachWindow(std::int64_t hit, std::size_t length, std::int64_t first, std::int64_t count,
                Each each) {
    const std::int64_t from = std::max(hit, first);
    const std::int64_t to = std::min(hit + static_cast<std::int64_t>(length), first + count);
    for (std::int64_t w = from; w < to; ++w)
        each(static_cast<std::size_t>(w - hit), static_cast<std::size_t>(w - first));
}

class DrumPowers {
  public:
    // `model` must outlive it.
    DrumPowers(const BleedModel& model, int channel);
    // Powers from window `first` on, by window and band; shaped, each part of them times the gain
    // that is done to it.
    void of(int drum, std::int64_t first, std::span<float> out,
            const OwnSound* shaped = nullptr) const;
    // Adds what one hit gives a window, by band, times `gain` and as it is shaped.
    void addHit(std::size_t hit, std::int64_t window, double gain, const OwnSound* shaped,
                std::span<float> out) const;
    // Adds what a drum sounds beside its strokes in a window, by band, times `gain`.
    void addBeside(std::size_t drum, std::int64_t window, double gain, std::span<float> out) const;
    // What belongs to none, by band.
    [[nodiscard]] std::span<const float> noise() const { return noise_; }

  private:
    const BleedModel& model_;
    std::vector<float> pictures_, levels_, balance_, noise_;
};

}  // namespace ember
