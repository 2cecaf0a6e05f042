#include "core/dsp/dynamic_band.h"

#include "core/base/units.h"
#include "core/dsp/decibels.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace ember {
namespace {

constexpr double kHome = 1e-5;   // dB: as good as no gain
constexpr double kRideMs = 3.0;  // in which a peak falls once it is not held
constexpr double kHomeMs = 3.0;  // way home before the shape changes

bool moves(EqShape shape) {
    return shape == EqShape::bell || shape == EqShape::lowShelf || shape == EqShape::highShelf;
}

double warped(double frequency, double rate) {
    return std::tan(std::numbers::pi * std::min(frequency, 0.49 * rate) / rate);
}

// The output for a gain, from the filter's three outputs; exactly x at a gain of one.
double mixed(EqShape shape, const StateVariable::Outputs& o, double x, double k, double gain) {
    if (shape == EqShape::bell) return x + k * (gain - 1.0) * o.band;
    const double middle = (std::sqrt(2.0 * gain) - std::numbers::sqrt2) * o.band;
    return x + middle + (gain - 1.0) * (shape == EqShape::lowShelf ? o.low : o.high);
}

// A bell's poles close in as it rises, its zeros as it falls: the curve of a cut is that of a
// boost upside down.
double damping(EqShape shape, double k, double gain) {
    return shape == EqShape::bell ? k / std::sqrt(gain) : std::numbers::sqrt2;
}

}  // namespace

double dynamicBandGain(double levelDb, double thresholdDb, double rangeDb) {
    const double moved = std::min(std::abs(rangeDb), 0.5 * std::max(0.0, levelDb - thresholdDb));
    return std::copysign(moved, rangeDb);
}

double dynamicBandResponse(const DynamicBandSettings& s, double gainDb, double frequency,
                           double sampleRate) {
    if (!moves(s.shape)) return 0.0;
    const double gain = gainFromDb(gainDb), k = damping(s.shape, 1.0 / s.q, gain);
    const std::complex<double> w(0.0,
                                 warped(frequency, sampleRate) / warped(s.frequency, sampleRate));
    const std::complex<double> under = w * w + k * w + 1.0;
    const std::complex<double> low = 1.0 / under, band = w / under, high = w * w / under;
    if (s.shape == EqShape::bell) return dbFromGain(std::abs(1.0 + k * (gain - 1.0) * band));
    return dbFromGain(std::abs(1.0 + (std::sqrt(2.0 * gain) - std::numbers::sqrt2) * band +
                               (gain - 1.0) * (s.shape == EqShape::lowShelf ? low : high)));
}

void BandGlide::prepare(double sampleRate) {
    rate_ = sampleRate;
    logFrequency_.prepare(sampleRate);
    logDamping_.prepare(sampleRate);
}

void BandGlide::aim(double frequency, double q) {
    logFrequency_.aim(std::log(frequency));
    logDamping_.aim(-std::log(q));
    if (!fresh_) return;
    fresh_ = false;
    arrive();
}

void BandGlide::arrive() {
    logFrequency_.jump(logFrequency_.target());
    logDamping_.jump(logDamping_.target());
    const double g0 = warped(std::exp(logFrequency_.value()), rate_),
                 k0 = std::exp(logDamping_.value());
    std::fill(std::begin(g), std::end(g), g0);
    std::fill(std::begin(k), std::end(k), k0);
}

void BandGlide::advance(int frames) {
    if (!logFrequency_.moving() && !logDamping_.moving()) return;
    for (int i = 0; i < frames; ++i) {
        g[i] = warped(std::exp(logFrequency_.next()), rate_);
        k[i] = std::exp(logDamping_.next());
    }
    // What comes to rest fills the whole block, so that the next needs no work.
    if (!logFrequency_.moving() && !logDamping_.moving()) arrive();
}

void DynamicBand::prepare(double sampleRate) {
    rate_ = sampleRate;
    glide_.prepare(sampleRate);
    range_.prepare(sampleRate);
    threshold_.prepare(sampleRate);
}

void DynamicBand::set(const DynamicBandSettings& settings) {
    settings_ = settings;
    glide_.aim(settings.frequency, settings.q);
    threshold_.aim(settings.thresholdDb);
    if (idle()) change();
    range_.aim(changing() || !moves(shape_) ? 0.0 : settings.rangeDb);
}

void DynamicBand::change() {
    shape_ = settings_.shape;
    part_ = settings_.part;
    for (int c = 0; c < 2; ++c) sound_[c] = ear_[c] = {};
}

void DynamicBand::reset() {
    change();
    range_.aim(moves(shape_) ? settings_.rangeDb : 0.0);
    glide_.arrive();
    range_.jump(range_.target());
    threshold_.jump(threshold_.target());
    peak_ = gain_ = 0.0;
    held_ = 0;
    active_ = false;
}

double DynamicBand::level(const float* const* key, int channels, int frame) {
    const double g = glide_.g[frame], k = glide_.k[frame];
    double level = 0.0;
    for (int c = 0; c < channels; ++c) {
        const bool bell = shape_ == EqShape::bell;
        const auto [low, band, high] =
            ear_[c].next(key[c][frame], g, bell ? k : std::numbers::sqrt2);
        const double heard = bell ? k * band : shape_ == EqShape::lowShelf ? low : high;
        level = std::max(level, std::abs(heard));
    }
    return level;
}

void DynamicBand::follow(const float* const* key, int channels, int frames) {
    if (changing() && idle()) {
        change();
        range_.aim(moves(shape_) ? settings_.rangeDb : 0.0);
    }
    glide_.advance(frames);
    active_ = !idle();
    if (!active_) return;
    const bool leaving = range_.target() == 0.0;
    const auto pole = [&](double ms) { return 1.0 - std::exp(-1000.0 / (ms * rate_)); };
    const double up = pole(settings_.attackMs),
                 down = pole(leaving ? kHomeMs : settings_.releaseMs),
                 ride = std::exp(-1000.0 / (kRideMs * rate_));
    // A peak holds until the next half wave has had its own; a shelf hears an octave below.
    const double slowest =
        shape_ == EqShape::lowShelf ? 0.5 * settings_.frequency : settings_.frequency;
    const int hold = static_cast<int>(0.55 * rate_ / std::max(30.0, slowest));
    float levels[kBlock];
    for (int i = 0; i < frames; ++i) {
        if (const double now = level(key, channels, i); now >= peak_) {
            peak_ = now;
            held_ = hold;
        } else if (--held_ < 0) {
            peak_ = std::max(now, ride * peak_);
        }
        levels[i] = static_cast<float>(peak_);
    }
    toDecibels(levels, frames);
    for (int i = 0; i < frames; ++i) {
        const double wanted = dynamicBandGain(levels[i], threshold_.next(), range_.next());
        gain_ += (std::abs(wanted) > std::abs(gain_) ? up : down) * (wanted - gain_);
        if (wanted == 0.0 && std::abs(gain_) < kHome) gain_ = 0.0;
        gains_[i] = static_cast<float>(gain_);
    }
    toGains(gains_, gains_, frames);
}

void DynamicBand::copy(const DynamicBand& master, int frames) {
    shape_ = master.shape_;
    part_ = master.part_;
    glide_.advance(frames);
    active_ = master.active_;
    if (active_) std::copy_n(master.gains_, frames, gains_);
}

void DynamicBand::apply(float* samples, int channel, int frames) {
    if (!active_) return;
    StateVariable& filter = sound_[channel];
    for (int i = 0; i < frames; ++i) {
        const double x = samples[i], gain = gains_[i], k = damping(shape_, glide_.k[i], gain);
        samples[i] = static_cast<float>(mixed(shape_, filter.next(x, glide_.g[i], k), x, k, gain));
    }
}

}  // namespace ember
