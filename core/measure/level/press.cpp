#include "core/measure/level/press.h"

#include "core/base/number.h"
#include "core/base/statistics.h"
#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace ember {
namespace {

constexpr double kEarly = 0.03, kWhole = 0.3;  // seconds of a stroke, as in ledger.h
constexpr double kPunchLost = 3.0, kFlattened = 0.6, kLeastSpread = 1.0;
constexpr int kFewestPressed = 6;

double spread(const std::vector<double>& db) {
    double sum = 0.0, square = 0.0;
    for (const double v : db) {
        sum += v;
        square += v * v;
    }
    const auto n = static_cast<double>(db.size());
    return std::sqrt(std::max(0.0, square / n - sum * sum / (n * n)));
}

std::string decibels(double db) {
    return numberText(db, 1) + " dB";
}

}  // namespace

Press measurePress(std::span<const float> before, std::span<const float> after,
                   double secondsPerBlock, std::span<const double> times) {
    struct Side {
        std::vector<double> punch, peak;
    };
    const auto read = [&](std::span<const float> series) {
        Side side;
        for (std::size_t n = 0; n < times.size(); ++n) {
            const double end = n + 1 < times.size() ? std::min(times[n] + kWhole, times[n + 1])
                                                    : times[n] + kWhole;
            double early = 1e-12, late = 1e-12, top = 0.0;
            for (auto b = static_cast<std::size_t>(std::max(0.0, times[n] / secondsPerBlock));
                 b < series.size() && static_cast<double>(b) * secondsPerBlock < end; ++b) {
                const auto v = static_cast<double>(series[b]);
                const bool first = static_cast<double>(b) * secondsPerBlock < times[n] + kEarly;
                (first ? early : late) += v * v;
                top = std::max(top, v);
            }
            if (top <= 0.0) continue;
            side.punch.push_back(10.0 * std::log10(early / late));
            side.peak.push_back(dbFromGain(top));
        }
        return side;
    };
    const Side in = read(before), out = read(after);
    if (in.peak.empty() || out.peak.empty()) return {};
    return {static_cast<int>(std::min(in.peak.size(), out.peak.size())), median(in.punch),
            median(out.punch), spread(in.peak), spread(out.peak)};
}

StrokeLines strokeLines(std::span<const float> before, double secondsPerBlock,
                        std::span<const double> times) {
    constexpr double kBodyFrom = 0.04, kBodyTo = 0.12;
    std::vector<double> peaks, bodies;
    for (std::size_t n = 0; n < times.size(); ++n) {
        const double next = n + 1 < times.size() ? times[n + 1] : times[n] + kWhole;
        double top = 0.0, square = 0.0;
        int count = 0;
        for (auto b = static_cast<std::size_t>(std::max(0.0, times[n] / secondsPerBlock));
             b < before.size(); ++b) {
            const double at = static_cast<double>(b) * secondsPerBlock - times[n];
            if (at >= kBodyTo || times[n] + at >= next) break;
            const auto v = static_cast<double>(before[b]);
            if (at < kEarly) top = std::max(top, v);
            if (at >= kBodyFrom) {
                square += v * v;
                ++count;
            }
        }
        if (top > 0.0) peaks.push_back(dbFromGain(top));
        if (count > 0 && square > 0.0) bodies.push_back(10.0 * std::log10(square / count));
    }
    StrokeLines lines;
    if (!peaks.empty()) lines.peakDb = median(peaks);
    if (!bodies.empty()) lines.bodyDb = median(bodies);
    return lines;
}

Reduction reductionOf(std::span<const std::span<const float>> gains) {
    Reduction r;
    if (gains.empty() || gains.front().empty()) return r;
    double sum = 0.0;
    int count = 0;
    for (std::size_t b = 0; b < gains.front().size(); ++b) {
        double gain = 0.0;
        for (const auto& one : gains) gain += b < one.size() ? static_cast<double>(one[b]) : 0.0;
        r.deepestDb = std::max(r.deepestDb, -gain);
        if (gain >= -1.0) continue;
        sum -= gain;
        ++count;
    }
    r.meanDb = count > 0 ? sum / count : 0.0;
    r.share = static_cast<double>(count) / static_cast<double>(gains.front().size());
    return r;
}

std::string pressWord(double ratio, double meanDb) {
    if (ratio >= 10.0) return "limiting";
    return meanDb <= 3.0 ? "light" : (meanDb <= 6.0 ? "medium" : "heavy");
}

std::string pressWarning(const Press& p) {
    if (p.strokes < kFewestPressed) return {};
    std::string text;
    if (const double lost = p.punchBefore - p.punchAfter; lost >= kPunchLost)
        text = "Punch falls by " + decibels(lost) +
               ": a longer attack or a lower ratio leaves more of the stroke’s beginning.";
    if (p.spreadBefore >= kLeastSpread && p.spreadAfter <= kFlattened * p.spreadBefore) {
        if (!text.empty()) text += " ";
        text += "The pattern of loud and soft strokes flattens from " + decibels(p.spreadBefore) +
                " to " + decibels(p.spreadAfter) + ": a higher threshold keeps the groove.";
    }
    return text;
}

}  // namespace ember
