// What is heard of a microphone: all of it, or one drum alone.
#pragma once

#include "core/dsp/band_gains.h"
#include "core/measure/separate/bleed_model.h"

#include <optional>
#include <vector>

namespace ember {

// Cheap where one stretch follows the last. The microphone must outlive it; one thread at a time.
class PartSound {
  public:
    PartSound(const MicSignal& mic, std::size_t channel);
    // One part of a model: a drum's place; behind the last drum, what belongs to none.
    PartSound(const BleedModel& model, const MicSignal& mic, std::size_t channel, std::size_t part);

    // From a frame of the song on; silence where nothing was recorded.
    std::vector<float> read(Frames from, std::size_t frames);

  private:
    SongSignal signal_;
    std::optional<BandGainReader> others_;  // what takes them away
};

// What one part of a model gives a channel of a microphone, as long as the recording. Pure.
std::vector<float> partOf(const BleedModel& model, const MicSignal& mic, int channel,
                          std::size_t part);

}  // namespace ember
