#include "core/measure/sound/partials.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>

namespace ember {
namespace {

constexpr double kFrom = 3.0, kFall = 20.0;

}  // namespace

std::span<const float> slice(std::span<const float> x, double rate, double from, double to) {
    const auto a = std::min(x.size(), static_cast<std::size_t>(from * rate)),
               b = std::min(x.size(), static_cast<std::size_t>(to * rate));
    return x.subspan(a, b - a);
}

double hann(std::size_t i, std::size_t n) {
    return 0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * (static_cast<double>(i) + 0.5) /
                                static_cast<double>(n));
}

double decayTime(std::span<const double> levels, double step, double least) {
    if (levels.size() < 4) return 0.0;
    const auto top =
        static_cast<std::size_t>(std::max_element(levels.begin(), levels.end()) - levels.begin());
    std::size_t from = top;
    while (from < levels.size() && levels[from] > levels[top] - kFrom) ++from;
    std::size_t to = from;
    while (to < levels.size() && levels[to] > levels[top] - kFrom - kFall) ++to;
    // Where the last third falls less than a third as fast as the first, something else is heard.
    for (; to > from + 6; --to) {
        const std::size_t third = (to - from) / 3;
        const double early = levels[from] - levels[from + third],
                     late = levels[to - 1 - third] - levels[to - 1];
        if (late > early / 3.0) break;
    }
    if (to < from + 4 || levels[from] - levels[to - 1] < least) return 0.0;
    double n = 0.0, x = 0.0, y = 0.0, xx = 0.0, xy = 0.0;
    for (std::size_t i = from; i < to; ++i) {
        const double t = static_cast<double>(i) * step;
        n += 1.0;
        x += t;
        y += levels[i];
        xx += t * t;
        xy += t * levels[i];
    }
    const double slope = (n * xy - x * y) / (n * xx - x * x);
    return slope < -1.0 ? -60.0 / slope : 0.0;
}

std::vector<double> Fall::levels(double low, double high) const {
    const auto from = static_cast<std::size_t>(std::max(0.0, std::round(low / width))),
               to = std::min(bins, static_cast<std::size_t>(std::round(high / width)) + 1);
    std::vector<double> out;
    for (const auto& row : usual) {
        double sum = 0.0;
        for (std::size_t k = from; k < to; ++k) sum += static_cast<double>(row[k]);
        out.push_back(10.0 * std::log10(sum + 1e-30));
    }
    return out;
}

Fall readFall(const std::vector<std::vector<float>>& strokes, double rate, double window,
              double highest, double part) {
    constexpr std::size_t kLeastRows = 5;
    Fall out;
    const auto span = static_cast<std::size_t>(window * rate),
               hop = static_cast<std::size_t>(out.step * rate);
    const std::size_t least = span + (kLeastRows - 1) * hop;
    int size = 256;
    while (size < static_cast<int>(2 * span)) size *= 2;
    RealFft fft(size);
    out.width = rate / size;
    out.bins = std::min(static_cast<std::size_t>(size / 2 + 1),
                        static_cast<std::size_t>(highest / out.width));
    std::vector<double> power;
    std::vector<std::size_t> rows;
    for (const auto& x : strokes) {
        if (x.size() < least) continue;
        rows.push_back((x.size() - span) / hop + 1);
        std::vector<std::vector<float>> one(rows.back(), std::vector<float>(out.bins));
        double total = 1e-30;
        for (std::size_t i = 0; i < least; ++i)
            total += static_cast<double>(x[i]) * static_cast<double>(x[i]);
        for (std::size_t r = 0; r < one.size(); ++r) {
            power.clear();
            addPower(fft, std::span<const float>(x).subspan(r * hop, span), power);
            for (std::size_t k = 0; k < out.bins; ++k)
                one[r][k] = static_cast<float>(power[k] / total);
        }
        out.each.push_back(std::move(one));
    }
    if (rows.empty()) return out;
    std::sort(rows.begin(), rows.end(), std::greater<>());
    const std::size_t need = std::max(rows.size() / 4, rows.size() < 6 ? std::size_t{1} : 2);
    out.usual.assign(rows[std::min(rows.size() - 1, need)], std::vector<float>(out.bins));
    std::vector<float> column;
    for (std::size_t r = 0; r < out.usual.size(); ++r) {
        for (std::size_t k = 0; k < out.bins; ++k) {
            column.clear();
            for (const auto& one : out.each) {
                if (r < one.size()) column.push_back(one[r][k]);
            }
            const auto at = column.begin() + static_cast<std::ptrdiff_t>(
                                                 part * static_cast<double>(column.size() - 1));
            std::nth_element(column.begin(), at, column.end());
            out.usual[r][k] = *at;
        }
    }
    return out;
}

void addPower(RealFft& fft, std::span<const float> signal, std::vector<double>& power) {
    const auto time = fft.time();
    std::fill(time.begin(), time.end(), 0.0F);
    const std::size_t n = std::min(signal.size(), time.size());
    for (std::size_t i = 0; i < n; ++i) time[i] = static_cast<float>(hann(i, n)) * signal[i];
    const auto bins = fft.forward();
    power.resize(bins.size(), 0.0);
    for (std::size_t k = 0; k < bins.size(); ++k)
        power[k] += static_cast<double>(std::norm(bins[k]));
}

double peakBin(const std::vector<double>& power, std::size_t k) {
    if (k == 0 || k + 1 >= power.size()) return static_cast<double>(k);
    const double a = std::log(power[k - 1] + 1e-30), b = std::log(power[k] + 1e-30),
                 c = std::log(power[k + 1] + 1e-30);
    const double bend = a - 2.0 * b + c;
    return static_cast<double>(k) +
           (bend < 0.0 ? std::clamp(0.5 * (a - c) / bend, -0.5, 0.5) : 0.0);
}

}  // namespace ember
