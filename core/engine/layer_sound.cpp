#include "core/engine/layer_sound.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/units.h"
#include "core/dsp/biquad_design.h"

#include <soxr.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>

namespace ember {
namespace {

std::vector<float> resampled(const std::vector<float>& in, double ratio) {
    std::vector<float> out(
        static_cast<std::size_t>(std::llround(static_cast<double>(in.size()) * ratio)));
    const auto quality = soxr_quality_spec(SOXR_VHQ, 0);
    std::size_t used = 0, made = 0;
    if (out.empty() || soxr_oneshot(1.0, ratio, 1, in.data(), in.size(), &used, out.data(),
                                    out.size(), &made, nullptr, &quality, nullptr) != nullptr)
        throw Error("The pitch could not be changed.");
    out.resize(made);
    return out;
}

void filter(std::vector<float>& samples, EqShape shape, double frequency, int rate) {
    for (const AnalogueSection& section :
         analogueSections(shape, frequency, 0.0, std::numbers::sqrt2 / 2.0, 2)) {
        const Biquad b = design(section, rate);
        double x1 = 0.0, x2 = 0.0, y1 = 0.0, y2 = 0.0;
        for (float& sample : samples) {
            const double x = sample;
            const double y = b.b0 * x + b.b1 * x1 + b.b2 * x2 - b.a1 * y1 - b.a2 * y2;
            x2 = std::exchange(x1, x);
            y2 = std::exchange(y1, y);
            sample = static_cast<float>(y);
        }
    }
}

AudioBuffer make(const Layer& layer, const Clip& clip, int rate) {
    const auto frames = [&](Layer::Index ms) {
        return static_cast<Frames>(std::llround(framesFromMs(layer.at(ms), rate)));
    };
    const Frames from = std::min(frames(Layer::start), clip.frames());
    const Frames most = static_cast<Frames>(kLongestSound * rate);
    const Frames length = layer.at(Layer::length) > 0.0 ? frames(Layer::length) : most;
    const Frames to = std::min({clip.frames(), from + length, from + most});
    AudioBuffer out{static_cast<double>(rate), {}};
    for (int c = 0; c < std::min(2, clip.channels()); ++c) {
        const auto whole = clip.channel(c);
        std::vector<float> samples(whole.begin() + from, whole.begin() + to);
        if (layer.at(Layer::pitch) != 0.0 && !samples.empty())
            samples = resampled(samples, std::exp2(-layer.at(Layer::pitch) / 12.0));
        const Parameter &low = layerTable()[Layer::lowCut], &high = layerTable()[Layer::highCut];
        if (layer.at(Layer::lowCut) > low.minimum)
            filter(samples, EqShape::highPass, layer.at(Layer::lowCut), rate);
        if (layer.at(Layer::highCut) < std::min(high.maximum, 0.45 * rate))
            filter(samples, EqShape::lowPass, layer.at(Layer::highCut), rate);
        const auto size = static_cast<Frames>(samples.size());
        const auto fade = [&](Frames at, Frames over) {
            return static_cast<float>(0.5 -
                                      0.5 * std::cos(std::numbers::pi * static_cast<double>(at) /
                                                     static_cast<double>(over)));
        };
        const Frames in = std::min(frames(Layer::fadeIn), size),
                     away = std::min(frames(Layer::fadeOut), size);
        for (Frames i = 0; i < in; ++i) samples[static_cast<std::size_t>(i)] *= fade(i, in);
        for (Frames i = 0; i < away; ++i)
            samples[static_cast<std::size_t>(size - 1 - i)] *= fade(i, away);
        out.channels.push_back(std::move(samples));
    }
    return out;
}

}  // namespace

std::shared_ptr<const AudioBuffer> layerSound(const Layer& layer, const Source& sound,
                                              AudioStore& store, int rate) {
    std::string key = "layer " + store.contentHash(sound.file) + " " + std::to_string(rate);
    for (const Layer::Index i : {Layer::start, Layer::length, Layer::fadeIn, Layer::fadeOut,
                                 Layer::pitch, Layer::lowCut, Layer::highCut})
        key += " " + plainText(layer.at(i), 9);
    return store.derived(key, [&] { return make(layer, *store.open(sound.file, rate), rate); });
}

}  // namespace ember
