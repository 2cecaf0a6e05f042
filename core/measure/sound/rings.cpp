#include "core/measure/sound/rings.h"

#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/measure/sound/partials.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

namespace ember {
namespace {

constexpr double kLongestRing = 2.2,
                 kLongestHighRing = 1.2;  // seconds; what lasts longer is a cymbal
constexpr double kHigh = 1500.0;          // Hz
constexpr double kShare = 0.25;           // of the strokes on which it must stand out
constexpr double kLouder = 0.75;          // of the strokes: those a ring is looked for on
// Over the middle of the bins around: 6 dB over the power of a third of an octave, which is some
// fifty bins, are more than that in one.
constexpr double kRingDb = 10.0;
constexpr double kSomeDb = 14.0;        // the same where fewer than half of the strokes ring
constexpr double kPlainSeconds = 0.3;   // and it lasts that long
constexpr double kPlainDb = 20.0;       // over its surroundings: whatever else lasts, one hears it
constexpr double kOutlasts = 1.6;       // times as long as what is around it
constexpr double kHeardDb = -44.0;      // under the strokes' peaks: softer ones nobody hears
constexpr double kStartsDb = 6.0;       // over what was there before the stroke
constexpr double kPlainStartsDb = 1.5;  // the same for what is plain: it rings into the next stroke
constexpr double kLeakDb = -24.0;       // what the window spreads of a ring beside it
constexpr double kLeastFall = 4.0;      // dB: long rings between fast strokes fall little
constexpr double kSame = 0.02;          // of the frequency
constexpr std::size_t kFewest = 4;      // strokes that last long enough
constexpr double kLate = 0.04, kLateEnd = kLate + RingMaterial::kBefore;  // seconds: only rings

// A frequency while only rings are left, against what was there before the strokes: median rise in
// dB, and the peak level of the louder strokes' ring in dBFS. What rang on already is another
// drum's, or the room's.
struct RingLevel {
    double riseDb = 0.0, levelDb = kSilenceDb;
    double underPeakDb = 0.0;  // against the strokes' own peaks
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
    std::vector<double> rises, levels, under;
    for (std::size_t i = 0; i < m.strokes.size(); ++i) {
        const auto after = slice(m.strokes[i], m.rate, kLate, kLateEnd);
        if (after.size() < static_cast<std::size_t>(0.5 * (kLateEnd - kLate) * m.rate)) continue;
        levels.push_back(dbFromGain(amplitude(after)));
        rises.push_back(levels.back() - dbFromGain(amplitude(m.before[i])));
        float peak = 1e-6F;
        for (const float v : slice(m.strokes[i], m.rate, 0.0, 0.03))
            peak = std::max(peak, std::abs(v));
        under.push_back(levels.back() - dbFromGain(static_cast<double>(peak)));
    }
    if (rises.empty()) return {};
    return {median(rises), quantile(levels, 0.75), quantile(under, 0.75)};
}

}  // namespace

std::vector<Ring> findRings(const RingMaterial& m, double lowest, double decayT60,
                            std::span<const double> others) {
    std::vector<Ring> out;
    const Fall fall = readFall(m.strokes, m.rate, 0.1, 9500.0);
    const auto from = static_cast<std::size_t>(kLate / fall.step),
               to = static_cast<std::size_t>(kLateEnd / fall.step);
    // What is left of every stroke while only rings are, in dB by bin.
    std::vector<std::vector<double>> late;
    std::vector<const std::vector<std::vector<float>>*> lasting;
    for (const auto& rows : fall.each) {
        if (rows.size() < from + 4) continue;
        std::vector<double> sum(fall.bins, 1e-30);
        const std::size_t end = std::min(to, rows.size());
        for (std::size_t r = from; r < end; ++r) {
            for (std::size_t k = 0; k < fall.bins; ++k) sum[k] += static_cast<double>(rows[r][k]);
        }
        for (double& v : sum) v = 10.0 * std::log10(v / static_cast<double>(end - from));
        late.push_back(std::move(sum));
        lasting.push_back(&rows);
    }
    if (late.size() < kFewest) return out;
    // Some ring on some strokes only: the louder quarter shows them.
    std::vector<double> level(fall.bins), column(late.size());
    for (std::size_t k = 0; k < fall.bins; ++k) {
        for (std::size_t s = 0; s < late.size(); ++s) column[s] = late[s][k];
        level[k] = quantile(column, kLouder);
    }
    std::vector<double> linear(level.size());
    std::transform(level.begin(), level.end(), linear.begin(),
                   [](double v) { return std::pow(10.0, v / 10.0); });
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
    // The fall of a frequency on the strokes named: the median of those that last that long.
    const auto fallAt = [&](double hertz, const std::vector<std::size_t>& strokes) {
        const auto k = static_cast<std::size_t>(std::lround(hertz / fall.width));
        std::vector<double> levels, at;
        for (std::size_t r = 0; r < fall.usual.size(); ++r) {
            at.clear();
            for (const std::size_t s : strokes) {
                if (r < lasting[s]->size())
                    at.push_back(10.0 *
                                 std::log10(static_cast<double>((*lasting[s])[r][k]) + 1e-30));
            }
            if (at.size() < std::min<std::size_t>(2, strokes.size())) break;
            levels.push_back(median(at));
        }
        return decayTime(levels, fall.step, kLeastFall);
    };
    for (auto k = static_cast<std::size_t>(lowest / fall.width); k + 4 < fall.bins; ++k) {
        if (level[k] < level[k - 1] || level[k] < level[k + 1] || level[k] < top - 30.0) continue;
        const std::vector<std::size_t> near = around(k);
        if (near.empty()) continue;
        std::vector<double> stands;
        std::vector<std::size_t> on;
        for (std::size_t s = 0; s < late.size(); ++s) {
            std::vector<double> beside(near.size());
            std::transform(near.begin(), near.end(), beside.begin(),
                           [&](std::size_t i) { return late[s][i]; });
            stands.push_back(late[s][k] - median(beside));
            if (stands.back() > kRingDb) on.push_back(s);
        }
        const double share = static_cast<double>(on.size()) / static_cast<double>(late.size()),
                     prominence = quantile(stands, kLouder);
        if (share < kShare || (median(stands) < kRingDb && prominence < kSomeDb)) continue;
        const double hertz = peakBin(linear, k) * fall.width;
        if (std::any_of(others.begin(), others.end(),
                        [&](double f) { return std::abs(hertz - f) < 0.03 * f; }))
            continue;
        const double own = fallAt(hertz, on);
        std::vector<double> times;
        for (const double factor : {0.82, 0.87, 1.15, 1.22}) {
            const auto at = static_cast<std::size_t>(hertz * factor / fall.width);
            if (at >= fall.bins || level[at] < level[k] + kLeakDb) continue;
            // What does not fall is the floor.
            if (const double t = fallAt(hertz * factor, on); t > 0.0 && t < kLongestRing)
                times.push_back(t);
        }
        // A ring outlasts what surrounds it; where nothing does, the drum's own note.
        const double longest = hertz > kHigh ? kLongestHighRing : kLongestRing;
        const bool alone = times.empty();
        const bool plain = prominence >= kPlainDb && own >= kPlainSeconds;
        const bool outlasts =
            alone ? own >= kOutlasts * decayT60 : own >= kOutlasts * median(times);
        if (own <= 0.0 || own > longest || (!plain && !outlasts)) continue;
        const RingLevel rings = ringLevel(m, hertz);
        if (rings.riseDb < (plain ? kPlainStartsDb : kStartsDb) || rings.underPeakDb < kHeardDb)
            continue;
        out.push_back({hertz, prominence, own, share, rings.levelDb});
    }
    std::sort(out.begin(), out.end(),
              [](const Ring& a, const Ring& b) { return a.prominenceDb > b.prominenceDb; });
    // A ring whose pitch moves a little from stroke to stroke is one.
    std::vector<Ring> apart;
    for (const Ring& ring : out) {
        if (std::none_of(apart.begin(), apart.end(), [&](const Ring& r) {
                return std::abs(ring.hertz - r.hertz) < kSame * r.hertz;
            }))
            apart.push_back(ring);
    }
    return apart;
}

}  // namespace ember
