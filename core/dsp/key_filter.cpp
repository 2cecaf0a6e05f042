#include "core/dsp/key_filter.h"

#include <algorithm>
#include <numbers>

namespace ember {

void KeyFilter::set(double highPass, double lowPass) {
    if (highPass == highPass_ && lowPass == lowPass_) return;
    highPass_ = highPass;
    lowPass_ = lowPass;
    std::array<Biquad, 2> sections;
    constexpr double q = 0.5 * std::numbers::sqrt2;
    if (highPass > kLowest) {
        sections[0] = design({1.0, 0.0, 0.0, 1.0, 1.0 / q, 1.0, highPass}, sampleRate_);
    }
    if (lowPass < std::min(kHighest, 0.49 * sampleRate_)) {
        sections[1] = design({0.0, 0.0, 1.0, 1.0, 1.0 / q, 1.0, lowPass}, sampleRate_);
    }
    const bool off = sections[0] == Biquad{} && sections[1] == Biquad{};
    for (auto& cascade : cascade_)
        cascade.setSections(off ? std::span<const Biquad>{} : std::span<const Biquad>(sections));
}

void KeyFilter::reset() {
    for (auto& cascade : cascade_) cascade.reset();
}

AudioBlock KeyFilter::process(const AudioBlock& key) {
    if (cascade_[0].size() == 0) return key;
    AudioBlock out{{filtered_[0].data(), filtered_[1].data()}, key.channels, key.frames};
    for (int c = 0; c < key.channels; ++c) {
        std::copy_n(key.channel[c], key.frames, out.channel[c]);
        cascade_[static_cast<std::size_t>(c)].process(out.channel[c], key.frames);
    }
    return out;
}

void KeyListen::take(const AudioBlock& heard, int channels) {
    if (!on()) return;
    for (int c = 0; c < channels; ++c)
        std::copy_n(heard.channel[std::min(c, heard.channels - 1)], heard.frames,
                    heard_[static_cast<std::size_t>(c)].begin());
}

void KeyListen::play(const AudioBlock& io) {
    if (!on()) return;
    for (int i = 0; i < io.frames; ++i) {
        const auto share = static_cast<float>(share_.next());
        for (int c = 0; c < io.channels; ++c) {
            float& x = io.channel[c][i];
            x += share * (heard_[static_cast<std::size_t>(c)][static_cast<std::size_t>(i)] - x);
        }
    }
}

Parameter keyListenParameter() {
    return {"key-listen",
            "Key listen",
            Unit::none,
            0.0,
            1.0,
            0.0,
            Scale::toggle,
            "Plays what the detector hears instead of the drum.",
            {}};
}

Parameter keyHighPassParameter() {
    return {"key-high-pass",
            "Key high-pass",
            Unit::hertz,
            KeyFilter::kLowest,
            4000.0,
            KeyFilter::kLowest,
            Scale::logarithmic,
            "What lies below is not heard by the detector; at 10 Hz it is off. Keeps low "
            "neighbours from opening or pumping.",
            {}};
}

Parameter keyLowPassParameter() {
    return {"key-low-pass",
            "Key low-pass",
            Unit::hertz,
            200.0,
            KeyFilter::kHighest,
            KeyFilter::kHighest,
            Scale::logarithmic,
            "What lies above is not heard by the detector; at 22 kHz it is off. Keeps cymbals from "
            "opening or pumping.",
            {}};
}

}  // namespace ember
