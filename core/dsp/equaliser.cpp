#include "core/dsp/equaliser.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
Equaliser::Equaliser(const ProcessSpec& spec, std::span<const double> values)
    : spec_(spec), values_(values.begin(), values.end()) {
    fadeFrames_ = std::max(1, static_cast<int>(std::lround(0.0213 * spec.sampleRate)));
    for (int i = 0; i < fadeFrames_; ++i) {
        fade_.push_back(
            static_cast<float>(0.5 - 0.5 * std::cos(std::numbers::pi * (i + 1) / fadeFrames_)));
    }
    for (DynamicBand& band : moving_) band.prepare(spec.sampleRate);
    ear_.glide.prepare(spec.sampleRate);
    ear_.share.prepare(spec.sampleRate);
    for (int b = 0; b < kEqBands; ++b)
        moving_[static_cast<std::size_t>(b)].set(eqDynamics(values_, b));
    aimEar();
    trim_.prepare(spec.sampleRate);
    trim_.set(values_[kEqOutput]);
    Equaliser::reset();
}

void Equaliser::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
    if (index == kEqListen) return aimEar();
    if (index == kEqOutput) return trim_.set(value);
    pending_ = true;
    const int band = index / kEqFields;
    for (int b = 0; b < kEqBands; ++b) {
        if (b == band || index == kEqAmount)
            moving_[static_cast<std::size_t>(b)].set(eqDynamics(values_, b));
    }
    aimEar();
}

void Equaliser::reset() {
    fadeAt_ = -1;
    pending_ = false;
    for (auto& setting : settings_) {
        build(setting);
        for (auto& cascade : setting.cascade) cascade.reset();
    }
    for (DynamicBand& band : moving_) band.reset();
    trim_.reset();
    ear_.glide.arrive();
    ear_.share.jump(ear_.share.target());
    for (StateVariable& filter : ear_.filter) filter = {};
}

bool Equaliser::reaches(EqPart part, std::size_t lane) const {
    if (spec_.channels == 1) return lane == left;
    switch (part) {
        case EqPart::both:
            return lane == left || lane == right;
        case EqPart::left:
            return lane == left;
        case EqPart::right:
            return lane == right;
        case EqPart::middle:
            return lane == middle;
        case EqPart::sides:
            return lane == sides;
    }
    return false;
}

const Equaliser::Design& Equaliser::designOf(int b) {
    Design& design = designs_[static_cast<std::size_t>(b)];
    const EqBand wanted = eqHeardBand(values_, b);
    if (design.count < 0 || !(design.band == wanted)) {
        design.band = wanted;
        design.count = eqDesign(wanted, spec_.sampleRate, design.sections.data());
    }
    return design;
}

void Equaliser::build(Setting& setting) {
    std::array<std::array<Biquad, Cascade::kMaxSections>, kLanes> lanes;
    std::array<int, kLanes> total{};
    for (int b = 0; b < kEqBands; ++b) {
        const auto band = static_cast<std::size_t>(b);
        const Design& design = designOf(b);
        setting.bands[band] = design.band;
        for (std::size_t lane = 0; lane < kLanes; ++lane) {
            const int used = reaches(setting.bands[band].part, lane) ? design.count : 0;
            setting.first[lane][band] = total[lane];
            setting.count[lane][band] = used;
            std::copy_n(design.sections.begin(), used, lanes[lane].begin() + total[lane]);
            total[lane] += used;
        }
    }
    for (std::size_t lane = 0; lane < kLanes; ++lane)
        setting.cascade[lane].setSections(
            {lanes[lane].data(), static_cast<std::size_t>(total[lane])});
}

// Gives every section of `to` the signals that passed the same place in `from`.
void Equaliser::inherit(Setting& to, const Setting& from, std::size_t lane) {
    Cascade& target = to.cascade[lane];
    const Cascade& source = from.cascade[lane];
    const auto &toCount = to.count[lane], &toFirst = to.first[lane], &fromCount = from.count[lane],
               &fromFirst = from.first[lane];
    // The signal where the next band begins: the output of the last section so far.
    Cascade::History signal = source.history(0);
    signal = {signal.x1, signal.x2, signal.x1, signal.x2};
    const int padded = (target.size() + Cascade::kLanes - 1) / Cascade::kLanes * Cascade::kLanes;
    for (std::size_t b = 0; b < kEqBands; ++b) {
        for (int s = 0; s < toCount[b]; ++s) {
            target.setHistory(toFirst[b] + s, toCount[b] == fromCount[b]
                                                  ? source.history(fromFirst[b] + s)
                                                  : signal);
        }
        if (fromCount[b] > 0) {
            const Cascade::History last = source.history(fromFirst[b] + fromCount[b] - 1);
            signal = {last.y1, last.y2, last.y1, last.y2};
        }
    }
    for (int s = target.size(); s < padded; ++s) target.setHistory(s, signal);
}

void Equaliser::startFade() {
    Setting& next = settings_[1 - current_];
    build(next);
    pending_ = false;
    if (next.bands == settings_[current_].bands) return;
    for (std::size_t lane = 0; lane < kLanes; ++lane) inherit(next, settings_[current_], lane);
    fadeAt_ = 0;
}

// The bands that stay, and between two settings the way from one to the other.
void Equaliser::filterLane(std::size_t lane, float* samples, int frames) {
    if (fadeAt_ < 0) return settings_[current_].cascade[lane].process(samples, frames);
    float faded[kBlock];
    std::copy_n(samples, frames, faded);
    settings_[current_].cascade[lane].process(samples, frames);
    settings_[1 - current_].cascade[lane].process(faded, frames);
    for (int i = 0; i < frames; ++i) {
        const float weight =
            fade_[static_cast<std::size_t>(std::min(fadeAt_ + i, fadeFrames_ - 1))];
        samples[i] += weight * (faded[i] - samples[i]);
    }
}

// The bands that move.
void Equaliser::moveLane(std::size_t lane, float* samples, int channel, int frames) {
    for (DynamicBand& band : moving_) {
        if (reaches(band.part(), lane)) band.apply(samples, channel, frames);
    }
}

void Equaliser::filter(const AudioBlock& io) {
    for (int c = 0; c < io.channels; ++c) {
        const auto lane = static_cast<std::size_t>(c);
        filterLane(lane, io.channel[c], io.frames);
        moveLane(lane, io.channel[c], c, io.frames);
    }
    const auto halves = [](EqPart part) { return part == EqPart::middle || part == EqPart::sides; };
    const auto any = [&](const Setting& s) {
        return std::any_of(s.bands.begin(), s.bands.end(),
                           [&](const EqBand& b) { return b.on && halves(b.part); });
    };
    const bool moving = std::any_of(moving_.begin(), moving_.end(), [&](const DynamicBand& b) {
        return !b.idle() && halves(b.part());
    });
    if (io.channels == 2 &&
        (moving || any(settings_[current_]) || (fadeAt_ >= 0 && any(settings_[1 - current_])))) {
        float half[2][kBlock];
        for (int i = 0; i < io.frames; ++i) {
            half[0][i] = 0.5F * (io.channel[0][i] + io.channel[1][i]);
            half[1][i] = 0.5F * (io.channel[0][i] - io.channel[1][i]);
        }
        for (int c = 0; c < 2; ++c) {
            const std::size_t lane = static_cast<std::size_t>(middle) + static_cast<std::size_t>(c);
            filterLane(lane, half[c], io.frames);
            moveLane(lane, half[c], c, io.frames);
        }
        for (int i = 0; i < io.frames; ++i) {
            io.channel[0][i] = half[0][i] + half[1][i];
            io.channel[1][i] = half[0][i] - half[1][i];
        }
    }
    if (fadeAt_ < 0) return;
    fadeAt_ += io.frames;
    if (fadeAt_ >= fadeFrames_) {
        current_ = 1 - current_;
        fadeAt_ = -1;
    }
}

// Each moving band hears the part of the key that it works on.
void Equaliser::follow(const AudioBlock& key) {
    float half[2][kBlock];
    bool halved = false;
    for (DynamicBand& band : moving_) {
        const EqPart part = band.part();
        const float* heard[2] = {key.channel[0], key.channel[1]};
        int channels = key.channels;
        if (channels == 2 && part != EqPart::both) {
            channels = 1;
            if (part == EqPart::right) heard[0] = key.channel[1];
            if (part == EqPart::middle || part == EqPart::sides) {
                for (int i = 0; i < key.frames && !halved; ++i) {
                    half[0][i] = 0.5F * (key.channel[0][i] + key.channel[1][i]);
                    half[1][i] = 0.5F * (key.channel[0][i] - key.channel[1][i]);
                }
                halved = true;
                heard[0] = half[part == EqPart::middle ? 0 : 1];
            }
        }
        band.follow(heard, channels, key.frames);
    }
}

void Equaliser::aimEar() {
    const int band = static_cast<int>(std::lround(values_[kEqListen])) - 1;
    ear_.share.aim(band < 0 ? 0.0 : 1.0);
    if (band < 0) return;
    const EqBand b = eqBand(values_, band);
    ear_.shape = b.shape;
    ear_.glide.aim(b.frequency, b.shape == EqShape::bell || b.shape == EqShape::notch
                                    ? b.q
                                    : 1.0 / std::numbers::sqrt2);
}

void Equaliser::listen(const AudioBlock& io, const float (&dry)[2][kBlock]) {
    ear_.glide.advance(io.frames);
    for (int i = 0; i < io.frames; ++i) {
        const double share = ear_.share.next(), g = ear_.glide.g[i], k = ear_.glide.k[i];
        for (int c = 0; c < io.channels; ++c) {
            const double x = dry[c][i];
            const auto [low, band, high] = ear_.filter[c].next(x, g, k);
            double heard = x;
            switch (ear_.shape) {
                case EqShape::bell:
                case EqShape::notch:
                    heard = k * band;
                    break;
                case EqShape::lowShelf:
                case EqShape::weight:
                case EqShape::highPass:
                    heard = low;
                    break;
                case EqShape::highShelf:
                case EqShape::lowPass:
                    heard = high;
                    break;
                case EqShape::tilt:
                    break;
            }
            const double y = io.channel[c][i];
            io.channel[c][i] = static_cast<float>(y + share * (heard - y));
        }
    }
}

void Equaliser::process(const AudioBlock& io, const AudioBlock& key) {
    if (pending_ && fadeAt_ < 0) startFade();
    follow(key);
    double most = 0.0;
    for (const DynamicBand& band : moving_) {
        if (std::abs(band.gainDb()) > std::abs(most)) most = band.gainDb();
    }
    reading_ = {0.0F, static_cast<float>(most)};
    const bool listening = ear_.share.moving() || ear_.share.value() > 0.0;
    if (!listening) {
        filter(io);
        trim_.apply(io);
        return;
    }
    float dry[2][kBlock];
    for (int c = 0; c < io.channels; ++c) std::copy_n(io.channel[c], io.frames, dry[c]);
    filter(io);
    trim_.apply(io);
    listen(io, dry);
}

void Equaliser::replay(const AudioBlock& io, const Processor& master) {
    if (pending_ && fadeAt_ < 0) startFade();
    const auto& did = static_cast<const Equaliser&>(master);
    for (std::size_t b = 0; b < kEqBands; ++b) moving_[b].copy(did.moving_[b], io.frames);
    filter(io);
    trim_.apply(io);
}

}  // namespace ember
