#include "core/measure/level/levels.h"

#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/dsp/key_filter.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr std::size_t kChunk = 1U << 14U;  // frames read at a time
constexpr double kCountsDb = -70.0;        // frames of 10 ms under this say nothing about crest

double powerDb(double power) {
    return 10.0 * std::log10(power + 1e-15);
}

// RMS over the tens of milliseconds that are not silence, against the largest sample.
double crestOf(std::span<const std::span<const float>> channels, double rate) {
    const auto step = static_cast<std::size_t>(0.01 * rate);
    double sum = 0.0, peak = 0.0;
    std::size_t count = 0;
    for (const auto& x : channels) {
        for (std::size_t at = 0; at + step <= x.size(); at += step) {
            double power = 0.0;
            for (std::size_t i = at; i < at + step; ++i) {
                const double v = x[i];
                power += v * v;
                peak = std::max(peak, std::abs(v));
            }
            if (powerDb(power / static_cast<double>(step)) < kCountsDb) continue;
            sum += power;
            count += step;
        }
    }
    return count == 0 ? 0.0 : powerDb(peak * peak) - powerDb(sum / static_cast<double>(count));
}

void compareSides(std::span<const float> left, std::span<const float> right, double rate,
                  SignalLevels& out) {
    double ll = 0.0, rr = 0.0, lr = 0.0;
    SpectrumMeter mid(rate), side(rate);
    std::vector<float> m(kChunk), s(kChunk);
    for (std::size_t at = 0; at < left.size(); at += kChunk) {
        const std::size_t n = std::min(kChunk, left.size() - at);
        for (std::size_t i = 0; i < n; ++i) {
            const float l = left[at + i], r = right[at + i];
            ll += static_cast<double>(l * l);
            rr += static_cast<double>(r * r);
            lr += static_cast<double>(l * r);
            m[i] = 0.5F * (l + r);
            s[i] = 0.5F * (l - r);
        }
        mid.add({m.data(), n});
        side.add({s.data(), n});
    }
    if (ll + rr <= 0.0) return;
    out.correlation = ll > 0.0 && rr > 0.0 ? lr / std::sqrt(ll * rr) : 0.0;
    // Power of the mono sum against the mean power of the two sides.
    out.monoLossDb = powerDb(0.5 * (ll + rr)) - powerDb(0.25 * (ll + rr + 2.0 * lr));
    for (double hertz = 31.25; hertz < 0.45 * rate && hertz < 17000.0; hertz *= 2.0) {
        const double low = hertz / std::sqrt(2.0), high = hertz * std::sqrt(2.0);
        out.width.push_back({hertz, std::max(kSilenceDb, powerDb(side.power(low, high)) -
                                                             powerDb(mid.power(low, high)))});
    }
}

}  // namespace

double measureRumble(std::span<const float> samples, double rate) {
    constexpr double kBelow = 20.0;
    // Twice: one filter would let the low drums themselves through.
    KeyFilter filters[2];
    for (KeyFilter& f : filters) {
        f.prepare({rate, 1});
        f.set(KeyFilter::kLowest, kBelow);
        f.reset();
    }
    std::vector<double> powers;
    double all = 0.0;
    float block[kBlock];
    constexpr std::size_t kBlocks = 8;  // in a row make up one level
    for (std::size_t at = 0; at + kBlocks * kBlock <= samples.size(); at += kBlocks * kBlock) {
        double power = 0.0;
        for (std::size_t b = at; b < at + kBlocks * kBlock; b += kBlock) {
            std::copy_n(samples.begin() + static_cast<std::ptrdiff_t>(b), kBlock, block);
            for (const float v : block) all += static_cast<double>(v) * static_cast<double>(v);
            AudioBlock heard{{block, nullptr}, 1, kBlock};
            for (KeyFilter& f : filters) heard = f.process(heard);
            for (int i = 0; i < kBlock; ++i)
                power += static_cast<double>(heard.channel[0][i]) *
                         static_cast<double>(heard.channel[0][i]);
        }
        powers.push_back(power);
    }
    if (powers.empty() || all <= 0.0) return kSilenceDb;
    const double mean = all / static_cast<double>(powers.size());
    return std::max(kSilenceDb, 10.0 * std::log10((median(std::move(powers)) + 1e-30) / mean));
}

SignalLevels measureLevels(std::span<const std::span<const float>> channels, double rate,
                           LoudnessDetail detail) {
    SignalLevels out;
    if (channels.empty()) return out;
    const auto count = channels.size();
    LoudnessMeter meter(static_cast<int>(count), rate, detail);
    std::vector<float> woven(kChunk * count);
    for (std::size_t at = 0; at < channels[0].size(); at += kChunk) {
        const std::size_t n = std::min(kChunk, channels[0].size() - at);
        for (std::size_t i = 0; i < n; ++i) {
            for (std::size_t c = 0; c < count; ++c) woven[i * count + c] = channels[c][at + i];
        }
        meter.add({woven.data(), n * count});
    }
    const Loudness loud = meter.result();
    out.integrated = loud.integrated;
    out.maxShortTerm = loud.maxShortTerm;
    out.truePeak = loud.truePeak;
    out.crestDb = crestOf(channels, rate);
    if (count == 2) compareSides(channels[0], channels[1], rate, out);
    return out;
}

}  // namespace ember
