#include "core/measure/song/modulation.h"

#include "core/base/fft.h"
#include "core/base/statistics.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <cstddef>
#include <numbers>

namespace ember {
namespace {

constexpr double kLevelHop = 0.01, kLevelWindow = 0.04, kLeastLooked = 3.0;
constexpr double kDeepDb = 60.0;      // under the loudest frame nothing is told apart
constexpr double kSurrounding = 1.0;  // Hz either side, and at least kFewestLines lines
constexpr std::size_t kFewestLines = 12, kMostTold = 3;
constexpr double kFewestCycles = 4.0;  // of a movement, before it is one
constexpr double kUsualStep = 3.0;     // times the median: steeper is struck, not moved

// Level of the band in dB, a value every kLevelHop seconds, without its mean and slope.
std::vector<double> bandLevels(std::span<const std::span<const float>> channels, double rate,
                               double low, double high) {
    int length = 64;
    while (length < static_cast<int>(kLevelWindow * rate)) length *= 2;
    const auto hop = static_cast<std::size_t>(std::lround(kLevelHop * rate));
    RealFft fft(length);
    std::vector<float> window(static_cast<std::size_t>(length));
    for (std::size_t i = 0; i < window.size(); ++i)
        window[i] = static_cast<float>(
            0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * (static_cast<double>(i) + 0.5) / length));
    const double wide = rate / length;
    std::vector<double> out;
    for (std::size_t at = 0; at + window.size() <= channels[0].size(); at += hop) {
        double sum = 0.0;
        for (const auto& side : channels) {
            for (std::size_t i = 0; i < window.size(); ++i)
                fft.time()[i] = window[i] * side[at + i];
            const auto spectrum = fft.forward();
            for (std::size_t k = 0; k < spectrum.size(); ++k) {
                const double hertz = static_cast<double>(k) * wide;
                if (hertz >= low - 0.5 * wide && hertz < high + 0.5 * wide)
                    sum += static_cast<double>(std::norm(spectrum[k]));
            }
        }
        out.push_back(10.0 * std::log10(sum + 1e-12));
    }
    if (out.empty()) return out;
    const double top = *std::max_element(out.begin(), out.end());
    for (double& db : out) db = std::max(db, top - kDeepDb);
    // What is struck leaps; what moves by itself does not. Steps are cut to what is usual.
    std::vector<double> steps;
    for (std::size_t i = 1; i < out.size(); ++i) steps.push_back(std::abs(out[i] - out[i - 1]));
    const double most = kUsualStep * median(steps);
    double before = out.front();
    for (std::size_t i = 1; i < out.size(); ++i) {
        const double step = std::clamp(out[i] - before, -most, most);
        before = out[i];
        out[i] = out[i - 1] + step;
    }
    const auto n = static_cast<double>(out.size());
    double mean = 0.0, slope = 0.0, spread = 0.0;
    for (const double db : out) mean += db / n;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double t = static_cast<double>(i) - 0.5 * (n - 1.0);
        slope += t * (out[i] - mean);
        spread += t * t;
    }
    slope /= std::max(1.0, spread);
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i] -= mean + slope * (static_cast<double>(i) - 0.5 * (n - 1.0));
    return out;
}

// Whether a rate is a whole number of times a bar of four, as near as a line of the spectrum tells.
bool goesWithBeat(double hertz, double bpm, double line) {
    if (bpm <= 0.0) return false;
    const double bar = bpm / 240.0, times = std::max(1.0, std::round(hertz / bar));
    return std::abs(hertz - times * bar) < 1.5 * line;
}

}  // namespace

std::vector<Modulation> findModulation(std::span<const std::span<const float>> channels,
                                       double sampleRate, double lowHertz, double highHertz,
                                       double bpm) {
    std::vector<Modulation> out;
    if (channels.empty()) return out;
    std::vector<double> levels = bandLevels(channels, sampleRate, lowHertz, highHertz);
    if (static_cast<double>(levels.size()) * kLevelHop < kLeastLooked) return out;
    int length = 256;
    while (length < static_cast<int>(levels.size())) length *= 2;
    RealFft fft(length);
    const auto time = fft.time();
    std::fill(time.begin(), time.end(), 0.0F);
    double gain = 0.0;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        const double w =
            0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * (static_cast<double>(i) + 0.5) /
                                 static_cast<double>(levels.size()));
        gain += w;
        time[i] = static_cast<float>(w * levels[i]);
    }
    const auto spectrum = fft.forward();
    // Lines that are told apart: the length may be a power of two, the sound is not.
    const double line = 1.0 / (static_cast<double>(levels.size()) * kLevelHop),
                 bin = 1.0 / (static_cast<double>(length) * kLevelHop);
    std::vector<double> powers, rates;
    // A line reaches half of one to either side.
    for (double hertz = std::max(kSlowestModulation, kFewestCycles * line) + 0.5 * line;
         hertz < kFastestModulation; hertz += line) {
        const auto from = static_cast<std::size_t>((hertz - 0.5 * line) / bin),
                   to = static_cast<std::size_t>((hertz + 0.5 * line) / bin);
        std::size_t best = from;
        for (std::size_t k = from; k <= std::min(to, spectrum.size() - 1); ++k) {
            if (std::norm(spectrum[k]) > std::norm(spectrum[best])) best = k;
        }
        powers.push_back(static_cast<double>(std::norm(spectrum[best])));
        rates.push_back(static_cast<double>(best) * bin);
    }
    const std::size_t count = powers.size();
    if (count < 2 * kFewestLines) return out;
    const auto reach = std::max(kFewestLines, static_cast<std::size_t>(kSurrounding / line));
    // Against the median around it, which for noise is ln 2 of the mean.
    std::vector<double> over(count);
    for (std::size_t i = 0; i < count; ++i) {
        std::vector<double> around;
        for (std::size_t k = i > reach ? i - reach : 0; k <= std::min(count - 1, i + reach); ++k)
            around.push_back(powers[k]);
        over[i] = powers[i] / std::max(1e-12, median(around) / std::numbers::ln2);
    }
    for (std::size_t i = 0; i < count; ++i) {
        const bool top =
            (i == 0 || over[i] >= over[i - 1]) && (i + 1 == count || over[i] > over[i + 1]);
        if (!top) continue;
        const double g = over[i] / (over[i] + static_cast<double>(count) - 1.0);
        const double chance = std::min(
            1.0, static_cast<double>(count) * std::pow(1.0 - g, static_cast<double>(count) - 1.0));
        if (chance > 0.5) continue;
        out.push_back({rates[i], 4.0 * std::sqrt(powers[i]) / gain, chance,
                       goesWithBeat(rates[i], bpm, line)});
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const Modulation& a, const Modulation& b) { return a.chance < b.chance; });
    if (out.size() > kMostTold) out.resize(kMostTold);
    return out;
}

}  // namespace ember
