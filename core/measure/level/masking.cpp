#include "core/measure/level/masking.h"

#include "core/base/fft.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr int kEarWindow = 2048;  // at 48 kHz, 43 ms; the same length in seconds elsewhere
constexpr double kFirstBark = 0.5, kBarkStep = 0.5;
constexpr double kNoiseOffsetDb = 5.5;
constexpr double kForwardSeconds = 0.02;  // time constant of power behind a masker
constexpr double kSoundsDb = 30.0;        // under its loudest frames a signal does not count
constexpr float kSilentPower = 1e-9F;

double barkOf(double hertz) {
    return 26.81 * hertz / (1960.0 + hertz) - 0.53;
}
double hertzOf(double bark) {
    return 1960.0 * (bark + 0.53) / (26.28 - bark);
}

// Share of a masker's power that reaches a band so many Bark above it.
double spreadTo(double barks) {
    const double x = barks + 0.474;
    return std::pow(10.0, (15.81 + 7.5 * x - 17.5 * std::sqrt(1.0 + x * x)) / 10.0);
}

using Spread = std::array<std::array<float, kEarBands>, kEarBands>;

// By band it reaches and band it comes from; a flat masker stays as it is.
const Spread& spreads() {
    static const Spread made = [] {
        Spread out{};
        for (std::size_t to = 0; to < kEarBands; ++to) {
            double sum = 0.0;
            for (std::size_t from = 0; from < kEarBands; ++from)
                sum += spreadTo(kBarkStep * (static_cast<double>(to) - static_cast<double>(from)));
            for (std::size_t from = 0; from < kEarBands; ++from)
                out[to][from] = static_cast<float>(
                    spreadTo(kBarkStep * (static_cast<double>(to) - static_cast<double>(from))) /
                    sum);
        }
        return out;
    }();
    return made;
}

float bandSum(std::span<const float> bands) {
    float sum = 0.0F;
    for (const float v : bands) sum += v;
    return sum;
}

// Frames below this power do not count.
float soundingFrom(const EarFrames& own) {
    std::vector<float> totals;
    totals.reserve(static_cast<std::size_t>(own.frames()));
    for (int f = 0; f < own.frames(); ++f) totals.push_back(bandSum(own.at(f)));
    if (totals.empty()) return 0.0F;
    const auto loud =
        totals.begin() + static_cast<std::ptrdiff_t>(0.98 * static_cast<double>(totals.size() - 1));
    std::nth_element(totals.begin(), loud, totals.end());
    return std::max(kSilentPower, *loud * static_cast<float>(std::pow(10.0, -kSoundsDb / 10.0)));
}

// The band in which it is nearest to being heard, and by how much it is over the threshold, dB.
std::pair<int, double> clearest(std::span<const float> own, std::span<const float> threshold) {
    int band = 0;
    float most = 0.0F;
    for (int b = 0; b < kEarBands; ++b) {
        const auto at = static_cast<std::size_t>(b);
        const float over = own[at] / std::max(1e-20F, threshold[at]);
        if (over > most) {
            most = over;
            band = b;
        }
    }
    return {band, 10.0 * std::log10(std::max(1e-12, static_cast<double>(most)))};
}

}  // namespace

double earBandHertz(int band) {
    return hertzOf(kFirstBark + kBarkStep * band);
}

EarFrames earFrames(std::span<const float> mono, double sampleRate) {
    int length = kEarWindow;
    while (length < 1 << 15 && length * 48000.0 < 0.75 * kEarWindow * sampleRate) length *= 2;
    const int hop = length / 2;
    RealFft fft(length);
    std::vector<int> bandOf(static_cast<std::size_t>(length) / 2 + 1, -1);
    for (std::size_t k = 1; k < bandOf.size(); ++k) {
        const double bark = barkOf(static_cast<double>(k) * sampleRate / length);
        const auto band = static_cast<int>(std::lround((bark - kFirstBark) / kBarkStep));
        bandOf[k] = band >= 0 && band < kEarBands ? band : -1;
    }
    EarFrames out{hop / sampleRate, {}};
    const double scale = 8.0 / (3.0 * length * static_cast<double>(length));
    for (std::size_t from = 0; from + static_cast<std::size_t>(length) <= mono.size();
         from += static_cast<std::size_t>(hop)) {
        const auto time = fft.time();
        for (int i = 0; i < length; ++i)
            time[static_cast<std::size_t>(i)] =
                mono[from + static_cast<std::size_t>(i)] *
                static_cast<float>(0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * i / length));
        const auto bins = fft.forward();
        const std::size_t row = out.power.size();
        out.power.resize(row + kEarBands, 0.0F);
        for (std::size_t k = 1; k < bins.size(); ++k) {
            if (bandOf[k] >= 0)
                out.power[row + static_cast<std::size_t>(bandOf[k])] +=
                    static_cast<float>(2.0 * scale) * std::norm(bins[k]);
        }
    }
    return out;
}

EarFrames maskedThreshold(const EarFrames& maskers) {
    const Spread& spread = spreads();
    const auto offset = static_cast<float>(std::pow(10.0, -kNoiseOffsetDb / 10.0)),
               fall = static_cast<float>(std::exp(-maskers.hopSeconds / kForwardSeconds));
    EarFrames out{maskers.hopSeconds, std::vector<float>(maskers.power.size(), 0.0F)};
    for (int f = 0; f < maskers.frames(); ++f) {
        const auto in = maskers.at(f);
        const std::size_t row = static_cast<std::size_t>(f) * kEarBands;
        for (std::size_t to = 0; to < kEarBands; ++to) {
            float sum = 0.0F;
            for (std::size_t from = 0; from < kEarBands; ++from) sum += spread[to][from] * in[from];
            const float before = f > 0 ? fall * out.power[row - kEarBands + to] : 0.0F;
            out.power[row + to] = std::max(offset * sum, before);
        }
    }
    return out;
}

Audibility audibilityOf(const EarFrames& own, const EarFrames& threshold) {
    const float from = soundingFrom(own);
    std::vector<double> over;
    std::array<int, kEarBands> nearest{};
    for (int f = 0; f < std::min(own.frames(), threshold.frames()); ++f) {
        if (bandSum(own.at(f)) < from) continue;
        const auto [band, db] = clearest(own.at(f), threshold.at(f));
        over.push_back(db);
        if (db < 0.0) ++nearest[static_cast<std::size_t>(band)];
    }
    Audibility out;
    if (over.empty()) return out;
    out.sounds = true;
    std::sort(over.begin(), over.end());
    const auto quantile = [&](double q) {
        return over[static_cast<std::size_t>(q * static_cast<double>(over.size() - 1))];
    };
    out.share = static_cast<double>(over.end() - std::lower_bound(over.begin(), over.end(), 0.0)) /
                static_cast<double>(over.size());
    out.overDb = quantile(0.5);
    out.raiseDb = -quantile(1.0 - kHeardEnough);
    out.band = static_cast<int>(std::max_element(nearest.begin(), nearest.end()) - nearest.begin());
    return out;
}

std::vector<int> hiddenBands(const EarFrames& own, const EarFrames& threshold) {
    const float from = soundingFrom(own);
    std::vector<int> out(static_cast<std::size_t>(std::min(own.frames(), threshold.frames())), -1);
    for (std::size_t f = 0; f < out.size(); ++f) {
        const int frame = static_cast<int>(f);
        if (bandSum(own.at(frame)) < from) continue;
        const auto [band, db] = clearest(own.at(frame), threshold.at(frame));
        if (db < 0.0) out[f] = band;
    }
    return out;
}

}  // namespace ember
