#include "core/measure/separate/learnt_kit.h"

#include "core/measure/separate/heard_drums.h"
#include "core/measure/separate/mic_powers.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kPictureSeconds = 0.9;

bool standsAt(const KitMics& kit, const KitDrum& drum, const BleedModel::Channel& channel) {
    return std::any_of(drum.mics.begin(), drum.mics.end(), [&](int mic) {
        return kit.mics[static_cast<std::size_t>(mic)].id == channel.row;
    });
}

// By drum and channel, whether it stands there.
std::vector<bool> ownChannels(const KitMics& kit, const BleedModel& model) {
    std::vector<bool> out;
    for (const std::string& id : model.drums) {
        const auto drum = std::find_if(kit.drums.begin(), kit.drums.end(),
                                       [&](const KitDrum& d) { return d.id == id; });
        for (const BleedModel::Channel& channel : model.channels)
            out.push_back(standsAt(kit, *drum, channel));
    }
    return out;
}

// Where pictures are learnt first, by drum and channel: a drum in its own microphones, and heads
// that have some in those that stand at no drum. Where others are struck with them, what these
// explain is none of the others'.
std::vector<bool> plainPictures(const KitMics& kit, const BleedModel& model,
                                const std::vector<bool>& own, const std::vector<bool>& close) {
    const std::size_t channels = model.channels.size();
    std::vector<bool> out = own;
    for (std::size_t c = 0; c < channels; ++c) {
        // Also of a drum that is never struck.
        const bool owned = std::any_of(kit.drums.begin(), kit.drums.end(), [&](const KitDrum& d) {
            return standsAt(kit, d, model.channels[c]);
        });
        for (std::size_t d = 0; d < model.drums.size() && !owned; ++d)
            out[d * channels + c] = close[d] && hasNote(model.drums[d]);
    }
    return out;
}

}  // namespace

std::int64_t windowBefore(const BleedModel& model, double seconds) {
    return static_cast<std::int64_t>(std::floor(seconds * model.sampleRate / model.grid.hop())) - 1;
}

KitFrame kitFrame(const KitMics& kit, const std::vector<Stroke>& strokes) {
    KitFrame out;
    BleedModel& model = out.model;
    model.sampleRate = kit.sampleRate;
    model.grid = bandGrid(kit.sampleRate, kit.end);
    const int hop = model.grid.hop();
    model.length = 2 + static_cast<int>(kPictureSeconds * kit.sampleRate / hop);
    for (const MicSignal& mic : kit.mics) {
        if (!isMicrophone(mic.role)) continue;
        for (int c = 0; c < static_cast<int>(mic.channels.size()); ++c)
            model.channels.push_back({mic.id, c});
    }
    for (const KitDrum& drum : kit.drums) {
        if (std::none_of(strokes.begin(), strokes.end(),
                         [&](const Stroke& s) { return s.drum == drum.id; }))
            continue;
        model.drums.push_back(drum.id);
        out.close.push_back(!drum.mics.empty());
    }
    for (const Stroke& stroke : strokes) {
        const int drum = model.drumOf(stroke.drum);
        if (drum < 0) continue;
        model.hits.push_back({drum, windowBefore(model, stroke.time)});
        model.struck.push_back(std::llround(stroke.time * kit.sampleRate));
        out.velocities.push_back(static_cast<float>(stroke.velocity));
    }
    return out;
}

LearntKit::LearntKit(const KitMics& kit, KitFrame frame, const Progress& progress)
    : frame_(std::move(frame)),
      powers_(measurePowers(kit, frame_.model, progress)),
      fit_(powers_, frame_.model, frame_.velocities),
      own_(ownChannels(kit, frame_.model)),
      heard_(heardDrums(powers_, frame_.model, own_)) {
    fit_.learn(plainPictures(kit, frame_.model, own_, frame_.close), heard_, progress);
}

}  // namespace ember
