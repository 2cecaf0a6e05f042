#include "tests/support/drum_truth.h"

#include "core/base/fft.h"
#include "core/base/statistics.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember::test {
namespace {

constexpr int kLength = 65536;
constexpr double kStandsDb = 4.0, kOutlasts = 1.4;  // looser than what is called a ring
constexpr double kPlainDb = 10.0;                   // anybody hears that, however long it lasts

// Mean power spectrum of a stretch of every stroke, each against its own.
std::vector<double> powerOf(const std::vector<std::vector<float>>& strokes, double from, double to,
                            double rate) {
    RealFft fft(kLength);
    std::vector<double> sum(kLength / 2 + 1, 0.0);
    const auto first = static_cast<std::size_t>(from * rate),
               frames = static_cast<std::size_t>((to - from) * rate);
    for (const auto& x : strokes) {
        const auto time = fft.time();
        std::fill(time.begin(), time.end(), 0.0F);
        double energy = 1e-20;
        for (const float v : x) energy += static_cast<double>(v) * static_cast<double>(v);
        for (std::size_t i = 0; i < frames && first + i < x.size(); ++i) {
            const double w = 0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i) /
                                                  static_cast<double>(frames));
            time[i] = static_cast<float>(w) * x[first + i];
        }
        const auto bins = fft.forward();
        for (std::size_t k = 0; k < bins.size(); ++k)
            sum[k] += static_cast<double>(std::norm(bins[k])) / energy;
    }
    return sum;
}

// T20 of what lies between two frequencies, times three: the fall from 5 to 25 dB under the whole
// in the integral of what is still to come (Schroeder, JASA 37, 1965).
double schroeder(const std::vector<float>& x, double low, double high, double rate) {
    constexpr int kWhole = 131072;
    RealFft fft(kWhole);
    const auto time = fft.time();
    std::fill(time.begin(), time.end(), 0.0F);
    const std::size_t n = std::min<std::size_t>(x.size(), kWhole);
    std::copy_n(x.begin(), n, time.begin());
    const auto bins = fft.forward();
    // A few hundred hertz at most: the sum of its partials by hand, one value every two
    // milliseconds; soft edges, so that the band does not ring itself.
    const double width = rate / kWhole;
    const auto from = static_cast<std::size_t>(low / width),
               to = static_cast<std::size_t>(high / width);
    std::vector<double> envelope;
    for (double t = 0.0; t < static_cast<double>(n) / rate; t += 0.002) {
        std::complex<double> sum{};
        for (std::size_t k = from; k <= to; ++k)
            sum += std::complex<double>(bins[k]) *
                   (0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(k - from) /
                                         static_cast<double>(to - from))) *
                   std::polar(1.0, 2.0 * std::numbers::pi * static_cast<double>(k) * width * t);
        envelope.push_back(std::norm(sum));
    }
    for (std::size_t i = envelope.size(); i-- > 1;) envelope[i - 1] += envelope[i];
    double five = -1.0, twentyFive = -1.0;
    for (std::size_t i = 0; i < envelope.size(); ++i) {
        const double db = 10.0 * std::log10(envelope[i] / envelope.front() + 1e-30);
        if (five < 0.0 && db < -5.0) five = 0.002 * static_cast<double>(i);
        if (twentyFive < 0.0 && db < -25.0) twentyFive = 0.002 * static_cast<double>(i);
    }
    return five >= 0.0 && twentyFive > five ? 3.0 * (twentyFive - five) : 0.0;
}

}  // namespace

DrumTruth drumTruth(const std::vector<std::vector<float>>& strokes, const SettledRange& r,
                    double rate) {
    DrumTruth out;
    const double width = rate / kLength;
    const std::vector<double> settled = powerOf(strokes, r.from, r.to, rate);
    const auto low = static_cast<std::size_t>(r.low / width),
               high = static_cast<std::size_t>(r.high / width);
    std::size_t best = 0;
    for (std::size_t k = low; k < high; ++k) {
        const bool peak = settled[k] >= settled[k - 1] && settled[k] >= settled[k + 1];
        if (peak && (best == 0 || settled[k] > settled[best])) best = k;
    }
    // A stroke that is over by then has no settled note.
    const std::vector<double> start = powerOf(strokes, 0.0, r.from, rate);
    if (best == 0 || settled[best] < 1e-8 * *std::max_element(start.begin(), start.end()))
        return out;
    out.fundamental = static_cast<double>(best) * width;
    std::vector<double> times;
    for (const auto& x : strokes)
        times.push_back(schroeder(x, 0.7 * out.fundamental, 1.3 * out.fundamental, rate));
    out.t60 = median(times);
    const std::vector<double> late = powerOf(strokes, 0.04, 0.24, rate),
                              first = powerOf(strokes, 0.04, 0.14, rate),
                              then = powerOf(strokes, 0.14, 0.24, rate);
    const auto db = [](double v) { return 10.0 * std::log10(v + 1e-20); };
    for (auto k = static_cast<std::size_t>(90.0 / width);
         k < static_cast<std::size_t>(9500.0 / width); ++k) {
        if (late[k] < late[k - 1] || late[k] < late[k + 1]) continue;
        std::vector<double> levels, falls;
        const auto from = static_cast<std::size_t>(static_cast<double>(k) / 1.122),
                   to = static_cast<std::size_t>(static_cast<double>(k) * 1.122);
        for (std::size_t i = from; i < to; i += 4) {
            if (std::abs(static_cast<double>(i) - static_cast<double>(k)) * width < 22.0) continue;
            levels.push_back(db(late[i]));
            falls.push_back(db(first[i]) - db(then[i]));
        }
        if (levels.empty()) continue;
        const double stands = db(late[k]) - median(levels), fall = db(first[k]) - db(then[k]);
        if (stands >= kPlainDb || (stands >= kStandsDb && fall * kOutlasts <= median(falls)))
            out.resonances.push_back(static_cast<double>(k) * width);
    }
    return out;
}

}  // namespace ember::test
