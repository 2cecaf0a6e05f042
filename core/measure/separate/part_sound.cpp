#include "core/measure/separate/part_sound.h"

#include "core/measure/separate/channel_gains.h"

#include <memory>

namespace ember {

PartSound::PartSound(const MicSignal& mic, std::size_t channel)
    : signal_{mic.channels[channel], mic.offset} {}

PartSound::PartSound(const BleedModel& model, const MicSignal& mic, std::size_t channel,
                     std::size_t part)
    : PartSound(mic, channel) {
    ChannelTurns turns;
    turns.parts.assign(model.drums.size() + 1, 0.0);
    turns.parts[part] = 1.0;
    const int place = model.channelOf(mic.id, static_cast<int>(channel));
    others_.emplace(signal_, std::make_shared<const BandGains>(bandGains(model, place, turns)));
}

std::vector<float> PartSound::read(Frames from, std::size_t frames) {
    std::vector<float> out(frames);
    signal_.read(from, out);
    if (others_) {
        std::vector<float> less(frames);
        others_->read(from, less);
        for (std::size_t i = 0; i < frames; ++i) out[i] += less[i];
    }
    return out;
}

std::vector<float> partOf(const BleedModel& model, const MicSignal& mic, int channel,
                          std::size_t part) {
    const auto c = static_cast<std::size_t>(channel);
    return PartSound(model, mic, c, part).read(mic.offset, mic.channels[c].size());
}

}  // namespace ember
