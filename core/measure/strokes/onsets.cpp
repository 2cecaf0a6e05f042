#include "core/measure/strokes/onsets.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr std::size_t kBands = 4;
constexpr std::array<double, kBands - 1> kEdges{180.0, 1200.0, 5000.0};
// Milliseconds looked at after and before; a low wave needs more to show its level.
constexpr std::array<int, kBands> kAfter{9, 4, 3, 3}, kBefore{45, 30, 16, 16};
// Milliseconds over which what was before is averaged, how far the first one must stand out, and
// what a rise counts more where cymbals ring on (dB).
constexpr std::array<int, kBands> kSmooth{1, 1, 4, 4};
constexpr std::array<float, kBands> kStart{1.6F, 1.6F, 1.5F, 1.4F},
    kBonusDb{0.0F, 0.0F, 0.0F, 1.2F};

using Energies = std::array<std::vector<float>, kBands>;

Energies bandEnergies(const MicSignal& mic, std::size_t channel, double rate) {
    const auto& x = mic.channels[channel];
    const auto block = static_cast<std::size_t>(std::lround(rate * 1e-3));
    std::array<float, kBands - 1> step{};
    for (std::size_t b = 0; b + 1 < kBands; ++b)
        step[b] = static_cast<float>(1.0 - std::exp(-2.0 * std::numbers::pi * kEdges[b] / rate));
    std::array<float, kBands - 1> once{}, twice{};
    Energies out;
    for (auto& e : out) e.reserve(x.size() / block + 1);
    for (std::size_t at = 0; at + block <= x.size(); at += block) {
        std::array<float, kBands> sum{};
        for (std::size_t i = at; i < at + block; ++i) {
            float below = 0.0F;
            for (std::size_t b = 0; b + 1 < kBands; ++b) {
                once[b] += step[b] * (x[i] - once[b]);
                twice[b] += step[b] * (once[b] - twice[b]);
                const float band = twice[b] - below;
                below = twice[b];
                sum[b] += band * band;
            }
            const float top = x[i] - below;
            sum[kBands - 1] += top * top;
        }
        for (std::size_t b = 0; b < kBands; ++b)
            out[b].push_back(sum[b] / static_cast<float>(block));
    }
    return out;
}

// Rise in dB at every millisecond, the largest over the bands.
std::vector<float> rises(const Energies& energies) {
    const auto count = static_cast<int>(energies[0].size());
    std::vector<float> out(energies[0].size(), 0.0F);
    for (std::size_t b = 0; b < kBands; ++b) {
        const std::vector<float>& e = energies[b];
        std::vector<float> sorted = e;
        const auto tenth = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 10);
        std::nth_element(sorted.begin(), tenth, sorted.end());
        const float quiet = *tenth;
        const auto loud = sorted.end() - 1 - static_cast<std::ptrdiff_t>(sorted.size() / 1000);
        std::nth_element(sorted.begin(), loud, sorted.end());
        // Neither noise nor what is 55 dB under the loudest strokes is a stroke.
        const float floor = std::max(4.0F * quiet, 3e-6F * *loud) + 1e-12F;
        // The mean of the next kAfter blocks against the largest short mean of the last kBefore:
        // single blocks of a cymbal's wash leap, their means do not.
        std::vector<float> smooth(e.size());
        float sum = 0.0F;
        for (int n = 0; n < count; ++n) {
            sum += e[static_cast<std::size_t>(n)];
            if (n >= kSmooth[b]) sum -= e[static_cast<std::size_t>(n - kSmooth[b])];
            smooth[static_cast<std::size_t>(n)] =
                std::max(0.0F, sum) / static_cast<float>(kSmooth[b]);
        }
        for (int n = 1; n < count; ++n) {
            float before = floor, after = 0.0F;
            for (int k = std::max(0, n - kBefore[b]); k < n; ++k)
                before = std::max(before, smooth[static_cast<std::size_t>(k)]);
            // The rise begins here, not where its mean first shows.
            if (e[static_cast<std::size_t>(n)] < kStart[b] * before) continue;
            for (int k = n; k < std::min(count, n + kAfter[b]); ++k)
                after += e[static_cast<std::size_t>(k)];
            after /= static_cast<float>(kAfter[b]);
            float& rise = out[static_cast<std::size_t>(n)];
            rise =
                std::max(rise, 10.0F * std::log10(std::max(after, 1e-20F) / before) + kBonusDb[b]);
        }
    }
    return out;
}

}  // namespace

std::vector<Onset> findOnsets(const MicSignal& mic, std::size_t channel, double rate,
                              double riseDb) {
    std::vector<Onset> out;
    if (mic.channels[channel].size() < static_cast<std::size_t>(0.05 * rate)) return out;
    const std::vector<float> rise = rises(bandEnergies(mic, channel, rate));
    const auto block = static_cast<Frames>(std::lround(rate * 1e-3));
    for (std::size_t n = 0; n < rise.size(); ++n) {
        if (rise[n] < static_cast<float>(riseDb)) continue;
        // The first millisecond of a rise; what follows within 8 ms belongs to it.
        Onset onset{mic.offset + static_cast<Frames>(n) * block, rise[n]};
        std::size_t last = n;
        for (std::size_t k = n + 1; k < std::min(rise.size(), n + 8); ++k) {
            if (rise[k] > onset.strengthDb) {
                onset.strengthDb = rise[k];
                last = k;
            }
        }
        out.push_back(onset);
        n = std::max(last, n + 4);
    }
    return out;
}

Arrival findArrival(const MicSignal& mic, std::size_t channel, double rate, Frames from,
                    Frames to) {
    const auto ms = [&](double v) { return static_cast<Frames>(v * 1e-3 * rate); };
    const Frames lead = ms(16.0), tail = ms(8.0), start = from - lead;
    const auto count = static_cast<std::size_t>(to + tail - start);
    const auto unit = static_cast<std::size_t>(std::max<Frames>(1, ms(0.125)));
    const auto stepOf = [&](double hertz) {
        return static_cast<float>(1.0 - std::exp(-2.0 * std::numbers::pi * hertz / rate));
    };
    const float step = stepOf(200.0), snapStep = stepOf(1500.0);
    std::vector<float> x(count), peaks(count / unit, 0.0F), snaps(count / unit, 0.0F);
    float low = mic.at(channel, start), once = low, twice = low;
    for (std::size_t i = 0; i < count; ++i) {
        const float v = mic.at(channel, start + static_cast<Frames>(i));
        low += step * (v - low);
        once += snapStep * (v - once);
        twice += snapStep * (v - once - twice);
        x[i] = std::abs(v - low);
        const std::size_t k = i / unit;
        if (k >= peaks.size()) break;
        peaks[k] = std::max(peaks[k], x[i]);
        snaps[k] = std::max(snaps[k], std::abs(v - once - twice));
    }
    const auto highest = [](const std::vector<float>& p, std::size_t a, std::size_t b) {
        float v = 0.0F;
        for (std::size_t k = a; k < std::min(b, p.size()); ++k) v = std::max(v, p[k]);
        return v;
    };
    // Where does what follows stand furthest above the four milliseconds before?
    double best = 0.0;
    std::size_t where = 0;
    for (std::size_t k = 112; k + 24 < peaks.size(); ++k) {
        const auto after = static_cast<double>(highest(peaks, k, k + 12)),
                   before = static_cast<double>(highest(peaks, k - 32, k));
        // A rise counts by its height and by its share of what there is.
        const double score = (after - before) * std::log((after + 1e-9) / (before + 1e-9));
        if (after > before && score > best) {
            best = score;
            where = k;
        }
    }
    if (where == 0) return {};
    Arrival out;
    out.peak = highest(peaks, where, where + 48);
    const auto riseOf = [&](const std::vector<float>& p, std::size_t length) {
        return 20.0F * std::log10((highest(p, where, where + length) + 1e-7F) /
                                  (highest(p, where - 112, where - 2) + 1e-7F));
    };
    out.riseDb = std::max(riseOf(peaks, 12), riseOf(snaps, 12));
    const float threshold = std::max(0.05F * highest(peaks, where, where + 24),
                                     1.25F * highest(peaks, where - 32, where - 4));
    for (std::size_t i = (where - 4) * unit; i < count; ++i) {
        if (x[i] > threshold) {
            out.frame = start + static_cast<Frames>(i);
            break;
        }
    }
    return out;
}

}  // namespace ember
