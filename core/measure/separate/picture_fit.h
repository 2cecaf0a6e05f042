// The fit behind a bleed model. See bleed_model.h.
#pragma once

#include "core/measure/separate/bleed_model.h"

#include <cstdint>
#include <span>
#include <vector>

namespace ember {

// Power by channel, window and band.
struct PowerMap {
    PowerMap(int channelCount, std::int64_t windowCount, int bandCount)
        : channels(channelCount),
          windows(windowCount),
          bands(bandCount),
          values(static_cast<std::size_t>(channelCount) * static_cast<std::size_t>(windowCount) *
                 static_cast<std::size_t>(bandCount)) {}

    [[nodiscard]] float* at(int channel, std::int64_t window) {
        return values.data() + (channel * windows + window) * bands;
    }
    [[nodiscard]] const float* at(int channel, std::int64_t window) const {
        return values.data() + (channel * windows + window) * bands;
    }

    int channels;
    std::int64_t windows;
    int bands;
    std::vector<float> values;
};

class PictureFit {
  public:
    // `frame` holds grid, drums, channels, hits and the length of a picture; `velocities` are those
    // of its hits. Both must outlive the fit.
    PictureFit(const PowerMap& powers, const BleedModel& frame,
               const std::vector<float>& velocities);
    // A stretch of a song that `known` was learnt from, with its pictures; the frame has the levels
    // of its hits, too, some of which may begin before it.
    PictureFit(const PowerMap& powers, const BleedModel& frame,
               const std::vector<float>& velocities, const BleedModel& known);

    // Pictures, levels and noise. `first`, by drum and channel: pictures that are learnt before the
    // others, which begin with what these leave over; `heard`: there are pictures at all. Throws
    // Cancelled.
    void learn(const std::vector<bool>& first, const std::vector<bool>& heard,
               const Progress& progress);
    // Levels of some hits anew, by the pictures there are.
    void fitLevels(const std::vector<std::size_t>& hits);
    // Fills moved and beside of `into`, moment by moment. `close`: drums that a microphone of their
    // own stands at, by place.
    void followMoments(const std::vector<bool>& close, BleedModel& into,
                       const Progress& progress) const;

    [[nodiscard]] std::span<const float> pictures() const { return pictures_; }
    // One of them, by window and band.
    [[nodiscard]] const float* picture(int drum, int channel) const {
        return pictures_.data() + pictureAt(drum, channel);
    }
    [[nodiscard]] std::span<const float> levels() const { return levels_; }
    [[nodiscard]] std::span<const float> noise() const { return noise_; }
    [[nodiscard]] std::span<const float> balance() const { return balance_; }

  private:
    float* picture(int drum, int channel) { return pictures_.data() + pictureAt(drum, channel); }
    [[nodiscard]] std::size_t pictureAt(int drum, int channel) const {
        return (static_cast<std::size_t>(drum) * channels_ + static_cast<std::size_t>(channel)) *
               length_ * bands_;
    }
    void startLevels();
    void startPictures(int drum, const std::vector<bool>& where, bool explained);
    void goRound();
    void explain();
    void moveLevels(const std::vector<std::size_t>& hits);
    void movePictures();
    void weighDrums();
    // Each drum's mean in every channel over so many windows, by band: [drum][channel].
    [[nodiscard]] std::vector<float> means(const std::vector<BleedModel::Hit>& hits,
                                           std::span<const float> levels,
                                           std::int64_t windows) const;
    // The largest of each drum's means, by band.
    [[nodiscard]] std::vector<float> loudestOf(const std::vector<float>& means) const;
    struct Moments;
    [[nodiscard]] Moments startMoments(std::int64_t first, std::int64_t count,
                                       const std::vector<bool>& close) const;
    void explainMoments(Moments& m) const;
    void moveMoments(Moments& m) const;

    const PowerMap& powers_;
    const BleedModel& frame_;
    const std::vector<float>& velocities_;
    std::size_t drums_, channels_, length_, bands_;
    std::vector<float> pictures_, levels_, noise_, balance_, loudest_;
    std::vector<bool> known_;  // by drum and channel: it has a picture
    PowerMap over_, under_;    // power over the model's squared, and one over the model's
};

}  // namespace ember
