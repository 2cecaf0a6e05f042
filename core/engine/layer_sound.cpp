#include "core/engine/layer_sound.h"

#include "core/audio/pitch_shift.h"
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

void filter(std::vector<float>& samples, EqShape shape, double frequency, const Layer& layer,
            int rate) {
    const int order = 2 << std::lround(layer.at(Layer::slope));
    const double q = gainFromDb(layer.at(Layer::resonance)) * std::numbers::sqrt2 / 2.0;
    for (const AnalogueSection& section : analogueSections(shape, frequency, 0.0, q, order)) {
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

float peakOf(const AudioBuffer& audio) {
    float peak = 0.0F;
    for (const auto& side : audio.channels) {
        for (const float sample : side) peak = std::max(peak, std::abs(sample));
    }
    return peak;
}

// Bent by a hyperbolic tangent at several times the rate, so that what it adds does not fold back;
// the peak stays.
void bend(AudioBuffer& audio, double driveDb) {
    constexpr double kOver = 8.0;
    const float peak = peakOf(audio);
    if (driveDb <= 0.0 || peak <= 0.0F) return;
    const double drive = gainFromDb(driveDb) / static_cast<double>(peak);
    const std::size_t frames = audio.frames();
    for (auto& side : audio.channels) {
        side = resampled(side, kOver);
        for (float& sample : side)
            sample = static_cast<float>(std::tanh(drive * static_cast<double>(sample)));
        side = resampled(side, 1.0 / kOver);
        side.resize(frames);
    }
    const float back = peak / peakOf(audio);
    for (auto& side : audio.channels) {
        for (float& sample : side) sample *= back;
    }
}

void pitch(AudioBuffer& audio, const Layer& layer) {
    const double semitones = layer.at(Layer::pitch);
    if (semitones == 0.0 || audio.frames() == 0) return;
    if (layer.is(Layer::keepLength)) {
        // The stick lies at the very beginning: what is shifted begins before it.
        constexpr std::size_t kBefore = 8192;
        for (auto& side : audio.channels) side.insert(side.begin(), kBefore, 0.0F);
        audio = pitchShifted(audio, semitones);
        for (auto& side : audio.channels)
            side.erase(side.begin(), side.begin() + static_cast<std::ptrdiff_t>(kBefore));
        return;
    }
    for (auto& side : audio.channels) side = resampled(side, std::exp2(-semitones / 12.0));
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
        out.channels.emplace_back(whole.begin() + from, whole.begin() + to);
    }
    pitch(out, layer);
    const Parameter &low = layerTable()[Layer::lowCut], &high = layerTable()[Layer::highCut];
    for (auto& side : out.channels) {
        if (layer.at(Layer::lowCut) > low.minimum)
            filter(side, EqShape::highPass, layer.at(Layer::lowCut), layer, rate);
        if (layer.at(Layer::highCut) < std::min(high.maximum, 0.45 * rate))
            filter(side, EqShape::lowPass, layer.at(Layer::highCut), layer, rate);
    }
    bend(out, layer.at(Layer::drive));
    for (auto& side : out.channels) {
        const auto size = static_cast<Frames>(side.size());
        const auto fade = [&](Frames at, Frames over) {
            return static_cast<float>(0.5 -
                                      0.5 * std::cos(std::numbers::pi * static_cast<double>(at) /
                                                     static_cast<double>(over)));
        };
        const Frames in = std::min(frames(Layer::fadeIn), size),
                     away = std::min(frames(Layer::fadeOut), size);
        for (Frames i = 0; i < in; ++i) side[static_cast<std::size_t>(i)] *= fade(i, in);
        for (Frames i = 0; i < away; ++i)
            side[static_cast<std::size_t>(size - 1 - i)] *= fade(i, away);
    }
    return out;
}

}  // namespace

std::shared_ptr<const AudioBuffer> layerSound(const Layer& layer, const Source& sound,
                                              AudioStore& store, int rate) {
    std::string key = "layer " + store.contentHash(sound.file) + " " + std::to_string(rate);
    for (const Layer::Index i : {Layer::start, Layer::length, Layer::fadeIn, Layer::fadeOut,
                                 Layer::pitch, Layer::keepLength, Layer::lowCut, Layer::highCut,
                                 Layer::slope, Layer::resonance, Layer::drive})
        key += " " + plainText(layer.at(i), 9);
    return store.derived(key, [&] { return make(layer, *store.open(sound.file, rate), rate); });
}

}  // namespace ember
