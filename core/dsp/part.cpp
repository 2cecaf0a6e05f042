#include "core/dsp/part.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace ember {
namespace {

constexpr double kRoot = std::numbers::sqrt2;

const std::vector<Parameter>& partTable() {
    static const std::vector<Parameter> table{
        structuralParameter({"keep",
                             "Keep",
                             Unit::none,
                             0.0,
                             9.0,
                             0.0,
                             Scale::choice,
                             "What of the sound stays. Left and right, middle and sides, two "
                             "halves, lows and rest, "
                             "or lows, mids and highs add up to the whole.",
                             {"whole", "half", "left", "right", "middle", "sides", "lows", "rest",
                              "mids", "highs"}}),
        structuralParameter({"lower",
                             "Lower corner",
                             Unit::hertz,
                             60.0,
                             2000.0,
                             150.0,
                             Scale::logarithmic,
                             "Where the lows end. All bands of one split need the same corner.",
                             {}}),
        structuralParameter({"upper",
                             "Upper corner",
                             Unit::hertz,
                             500.0,
                             6000.0,
                             2500.0,
                             Scale::logarithmic,
                             "Where the mids end and the highs begin.",
                             {}}),
    };
    return table;
}

// The low-pass is late by sqrt(2) / tan(w / 2) samples at 0 Hz: whole samples, so that the rest is
// a difference.
int delayOf(double hertz, double rate) {
    const double g = std::tan(std::numbers::pi * std::min(hertz, 0.45 * rate) / rate);
    return std::max(1, static_cast<int>(std::lround(kRoot / g)));
}
double warped(int delay) {
    return kRoot / delay;
}

std::complex<double> below(double corner, double hertz, double rate) {
    const double g = warped(delayOf(corner, rate));
    const std::complex<double> s(0.0, std::tan(std::numbers::pi * hertz / rate) / g);
    const std::complex<double> one = 1.0 / (s * s + kRoot * s + 1.0);
    return one * one;
}
std::complex<double> late(double corner, double hertz, double rate) {
    return std::polar(1.0, -2.0 * std::numbers::pi * hertz / rate * delayOf(corner, rate));
}

}  // namespace

ProcessorType partType() {
    return {
        "part",
        "Part",
        Column::repair,
        false,
        "One part of the sound (a side, the middle, a band) for a chain of its own; the others go "
        "elsewhere. Split makes all of them at once.",
        "Bands by a low-pass of fourth order and the delayed sound less it: S. Lipshitz & J. "
        "Vanderkooy, JAES 31(1/2), 1983.",
        partTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Part>(spec, values);
        }};
}

void Part::Corner::prepare(double hertz, double rate) {
    const int delay = delayOf(hertz, rate);
    const double g = warped(delay), norm = 1.0 / (1.0 + kRoot * g + g * g);
    b_ = {g * g * norm, 2.0 * g * g * norm, g * g * norm};
    a_ = {2.0 * (g * g - 1.0) * norm, (1.0 - kRoot * g + g * g) * norm};
    line_.assign(static_cast<std::size_t>(delay), 0.0);
}

void Part::Corner::reset() {
    state_ = {};
    std::fill(line_.begin(), line_.end(), 0.0);
    at_ = 0;
}

Part::Corner::Sides Part::Corner::next(double x) {
    double low = x;
    for (auto& [first, second] : state_) {
        const double y = b_[0] * low + first;
        first = b_[1] * low - a_[0] * y + second;
        second = b_[2] * low - a_[1] * y;
        low = y;
    }
    const double then = line_[at_];
    line_[at_] = x;
    at_ = at_ + 1 == line_.size() ? 0 : at_ + 1;
    return {low, then - low};
}

Part::Part(const ProcessSpec& spec, std::span<const double> values)
    : values_(values.begin(), values.end()),
      keep_(static_cast<Keep>(std::lround(std::clamp(values[keep], 0.0, 9.0)))) {
    for (std::size_t c = 0; c < static_cast<std::size_t>(spec.channels); ++c) {
        if (usesLower()) lower_[c].prepare(values_[lower], spec.sampleRate);
        if (usesUpper()) upper_[c].prepare(values_[upper], spec.sampleRate);
    }
}

int Part::latency() const {
    return lower_[0].delay() + upper_[0].delay();
}

// All of them are structural: another part is another processor.
void Part::setValue(int index, double value) {
    values_[static_cast<std::size_t>(index)] = value;
}

void Part::reset() {
    for (std::size_t c = 0; c < 2; ++c) {
        lower_[c].reset();
        upper_[c].reset();
    }
}

void Part::process(const AudioBlock& io, const AudioBlock&) {
    float loudest = 0.0F;
    const bool stereo = io.channels == 2;
    for (int i = 0; i < io.frames; ++i) {
        for (int c = 0; c < io.channels; ++c)
            loudest = std::max(loudest, std::abs(io.channel[c][i]));
        if (!usesLower()) {
            float& l = io.channel[0][i];
            float& r = io.channel[stereo ? 1 : 0][i];
            const float middleOf = 0.5F * (l + r), sideOf = 0.5F * (l - r);
            // One channel has no sides, and is half on the left and half on the right.
            if (keep_ == half || (!stereo && (keep_ == left || keep_ == right))) {
                l *= 0.5F;
                if (stereo) r *= 0.5F;
            } else if (keep_ == left) {
                r = 0.0F;
            } else if (keep_ == right) {
                l = 0.0F;
            } else if (keep_ == middle) {
                l = r = middleOf;
            } else if (keep_ == sides) {
                l = sideOf;
                r = stereo ? -sideOf : 0.0F;
            }
            continue;
        }
        for (int c = 0; c < io.channels; ++c) {
            float& x = io.channel[c][i];
            const auto [low, high] = lower_[static_cast<std::size_t>(c)].next(x);
            double y = keep_ == lows ? low : high;
            if (usesUpper()) {
                const auto [mid, top] = upper_[static_cast<std::size_t>(c)].next(high);
                y = keep_ == mids ? mid : top;
            }
            x = static_cast<float>(y);
        }
    }
    reading_ = {loudest, 0.0F};
}

double Part::nearestCorner(double hertz, double rate) {
    return rate / std::numbers::pi * std::atan(warped(delayOf(hertz, rate)));
}

double Part::gainAt(std::span<const double> values, double hertz, double rate) {
    const auto kept = static_cast<Keep>(std::lround(values[keep]));
    const double low = values[lower], high = values[upper];
    if (kept == half) return 0.5;
    if (kept < lows) return 1.0;
    const std::complex<double> under = below(low, hertz, rate),
                               over = late(low, hertz, rate) - under;
    if (kept == lows) return std::abs(under);
    if (kept == rest) return std::abs(over);
    const std::complex<double> mid = over * below(high, hertz, rate);
    return std::abs(kept == mids ? mid : over * late(high, hertz, rate) - mid);
}

}  // namespace ember
