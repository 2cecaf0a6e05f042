// What each drum of a bleed model gives one channel. See bleed_model.h.
#pragma once

#include "core/measure/separate/bleed_model.h"

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
    // Powers from window `first` on, by window and band.
    void of(int drum, std::int64_t first, std::span<float> out) const;
    // What belongs to none, by band.
    [[nodiscard]] std::span<const float> noise() const { return noise_; }

  private:
    const BleedModel& model_;
    std::vector<float> pictures_, levels_, balance_, noise_;
};

}  // namespace ember
