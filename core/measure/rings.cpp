#include "core/measure/rings.h"

#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/measure/partials.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace ember {
namespace {

constexpr double kLongestRing = 1.2,
                 kLongestHighRing = 0.8;  // seconds; what lasts longer is a cymbal
constexpr double kHigh = 1500.0;          // Hz
constexpr double kShare = 0.4;            // of the strokes on which it must stand out
constexpr double kRingDb = 6.0;           // over its surroundings
constexpr double kStartsDb = 6.0;         // over what was there before the stroke
constexpr double kLeakDb = -24.0;         // what the window spreads of a ring beside it
constexpr double kLate = 0.04, kLateEnd = kLate + RingMaterial::kBefore;  // seconds: only rings

// A frequency while only rings are left, against what was there before the strokes: median rise in
// dB, and the peak level of the louder strokes' ring in dBFS. What rang on already is another
// drum's, or the room's.
struct RingLevel {
    double riseDb = 0.0, levelDb = kSilenceDb;
};
RingLevel ringLevel(const RingMaterial& m, double hertz) {
    // A Hann window sums to half its length, a sine to half its amplitude of that.
    const auto amplitude = [&](std::span<const float> x) {
        std::complex<double> sum{};
        const double turn = 2.0 * std::numbers::pi * hertz / m.rate;
        for (std::size_t i = 0; i < x.size(); ++i)
            sum += hann(i, x.size()) * static_cast<double>(x[i]) *
                   std::polar(1.0, -turn * static_cast<double>(i));
        return 4.0 * std::abs(sum) / static_cast<double>(x.size()) + 1e-10;
    };
    std::vector<double> rises, levels;
    for (std::size_t i = 0; i < m.strokes.size(); ++i) {
        const auto after = slice(m.strokes[i], m.rate, kLate, kLateEnd);
        if (after.size() < static_cast<std::size_t>(0.5 * (kLateEnd - kLate) * m.rate)) continue;
        levels.push_back(dbFromGain(amplitude(after)));
        rises.push_back(levels.back() - dbFromGain(amplitude(m.before[i])));
    }
    if (rises.empty()) return {};
    return {median(rises), quantile(levels, 0.75)};
}

}  // namespace

std::vector<Ring> findRings(const RingMaterial& m, double fundamental, double decayT60,
                            std::span<const double> others) {
    std::vector<Ring> out;
    const Fall fall = readFall(m.strokes, m.rate, 0.1, 9500.0);
    const auto from = static_cast<std::size_t>(kLate / fall.step),
               to = std::min(fall.median.size(), static_cast<std::size_t>(kLateEnd / fall.step));
    if (from + 4 > to || fall.each.size() < RingMaterial::kFewest) return out;
    const auto late = [&](const std::vector<std::vector<float>>& rows, std::size_t k) {
        double sum = 1e-30;
        for (std::size_t r = from; r < to; ++r) sum += static_cast<double>(rows[r][k]);
        return 10.0 * std::log10(sum);
    };
    std::vector<double> level(fall.bins);
    for (std::size_t k = 0; k < fall.bins; ++k) level[k] = late(fall.median, k);
    const double lowest = std::max(100.0, 1.25 * fundamental);
    double top = -300.0;
    for (auto k = static_cast<std::size_t>(lowest / fall.width); k < fall.bins; ++k)
        top = std::max(top, level[k]);
    // Bins of the third octave around, without the peak itself.
    const auto around = [&](std::size_t k) {
        std::vector<std::size_t> beside;
        const double hertz = static_cast<double>(k) * fall.width;
        for (auto i = static_cast<std::size_t>(hertz / 1.122 / fall.width);
             static_cast<double>(i) * fall.width < hertz * 1.122 && i < fall.bins; ++i) {
            if (std::abs(static_cast<double>(i) - static_cast<double>(k)) * fall.width > 22.0)
                beside.push_back(i);
        }
        return beside;
    };
    const auto fallAt = [&](double hertz) {
        return decayTime(fall.levels(hertz - 0.5 * fall.width, hertz + 0.5 * fall.width),
                         fall.step);
    };
    for (auto k = static_cast<std::size_t>(lowest / fall.width); k + 4 < fall.bins; ++k) {
        if (level[k] < level[k - 1] || level[k] < level[k + 1] || level[k] < top - 30.0) continue;
        const std::vector<std::size_t> near = around(k);
        std::vector<double> surroundings;
        for (const std::size_t i : near) surroundings.push_back(level[i]);
        const double stands = level[k] - median(surroundings);
        if (near.empty() || stands < kRingDb) continue;
        std::vector<double> linear;
        for (const double v : level) linear.push_back(std::pow(10.0, v / 10.0));
        const double hertz = peakBin(linear, k) * fall.width;
        if (std::any_of(others.begin(), others.end(),
                        [&](double f) { return std::abs(hertz - f) < 0.03 * f; }))
            continue;
        const double own = fallAt(hertz);
        std::vector<double> times;
        for (const double factor : {0.82, 0.87, 1.15, 1.22}) {
            const auto at = static_cast<std::size_t>(hertz * factor / fall.width);
            if (at >= fall.bins || level[at] < level[k] + kLeakDb) continue;
            // What does not fall is the floor.
            if (const double t = fallAt(hertz * factor); t > 0.0 && t < kLongestRing)
                times.push_back(t);
        }
        // A ring outlasts what surrounds it, and the drum's own note.
        const double longest = hertz > kHigh ? kLongestHighRing : kLongestRing;
        const bool alone = times.empty();
        if (own <= 0.0 || own > longest || own < (alone ? 1.6 : 1.1) * decayT60 ||
            (!alone && own < 1.6 * median(times)))
            continue;
        const RingLevel rings = ringLevel(m, hertz);
        if (rings.riseDb < kStartsDb) continue;
        double on = 0.0;
        for (const auto& rows : fall.each) {
            std::vector<double> v;
            for (const std::size_t i : near) v.push_back(late(rows, i));
            if (late(rows, k) - median(v) > kRingDb) on += 1.0;
        }
        on /= static_cast<double>(fall.each.size());
        if (on < kShare) continue;
        out.push_back({hertz, stands, own, on, rings.levelDb});
    }
    std::sort(out.begin(), out.end(),
              [](const Ring& a, const Ring& b) { return a.prominenceDb > b.prominenceDb; });
    return out;
}

}  // namespace ember
