#include "core/measure/kit/timing.h"

#include "core/base/statistics.h"
#include "core/measure/kit/bar_line.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

constexpr int kFewestStrokes = 16;  // strokes that can tell a tempo
constexpr double kOnGrid = 0.125;   // of a beat: thirty-seconds are off the sixteenth grid

struct Grid {
    double beat = 0.5, origin = 0.0;                  // seconds
    [[nodiscard]] double offset(double time) const {  // seconds from the nearest sixteenth
        const double step = 0.25 * beat, place = (time - origin) / step;
        return (place - std::round(place)) * step;
    }
};

// Weight of a stroke: loud ones keep time, ghosts and grace notes wander.
double weightOf(const Stroke& s) {
    return s.kind == StrokeKind::flam ? 0.0 : (s.kind == StrokeKind::ghost ? 0.3 : 1.0);
}

// Where most strokes fall within a sixteenth, from the mean direction on the circle.
double phaseOf(const std::vector<Stroke>& strokes, double beat, double until) {
    double x = 0.0, y = 0.0;
    const double step = 0.25 * beat;
    for (const Stroke& s : strokes) {
        if (s.time > until) break;
        const double angle = 2.0 * 3.14159265358979323846 * s.time / step;
        x += weightOf(s) * std::cos(angle);
        y += weightOf(s) * std::sin(angle);
    }
    return std::atan2(y, x) / (2.0 * 3.14159265358979323846) * step;
}

// One least-squares line through (sixteenth counted, time) for strokes within reach of the grid.
void refit(const std::vector<Stroke>& strokes, double until, Grid& grid) {
    double n = 0.0, sx = 0.0, sy = 0.0, sxx = 0.0, sxy = 0.0;
    const double step = 0.25 * grid.beat;
    for (const Stroke& s : strokes) {
        if (s.time > until) break;
        const double off = grid.offset(s.time), w = weightOf(s);
        if (std::abs(off) > kOnGrid * grid.beat * 0.8) continue;
        const double k = std::round((s.time - grid.origin) / step);
        n += w;
        sx += w * k;
        sy += w * s.time;
        sxx += w * k * k;
        sxy += w * k * s.time;
    }
    const double det = n * sxx - sx * sx;
    if (n < 6.0 || det <= 0.0) return;
    const double slope = (n * sxy - sx * sy) / det;
    if (slope < 0.9 * step || slope > 1.1 * step) return;
    grid.beat = 4.0 * slope;
    grid.origin = (sy - slope * sx) / n;
}

Grid fit(const std::vector<Stroke>& strokes, double bpm) {
    Grid grid{60.0 / bpm, 0.0};
    const double first = strokes.front().time, last = strokes.back().time;
    grid.origin = phaseOf(strokes, grid.beat, first + 8.0 * grid.beat);
    for (double span = 8.0 * grid.beat; first + 0.5 * span < last; span *= 1.5)
        refit(strokes, first + span, grid);
    for (int i = 0; i < 3; ++i) refit(strokes, last, grid);
    return grid;
}

double shareOnGrid(const std::vector<Stroke>& strokes, const Grid& grid) {
    double on = 0.0, all = 0.0;
    for (const Stroke& s : strokes) {
        all += weightOf(s);
        // A sixteenth is at most an eighth of a beat away; half of that is chance.
        if (std::abs(grid.offset(s.time)) < 0.25 * kOnGrid * grid.beat) on += weightOf(s);
    }
    return all > 0.0 ? on / all : 0.0;
}

// The bar line on a steady grid: the bar of the first stroke.
void placeBarLine(const std::vector<Stroke>& strokes, const Grid& grid, const MetreChange& metre,
                  KitTiming& out) {
    const double step = 0.25 * grid.beat;
    const int perBar = std::max(1, 16 * metre.beats / metre.unit),
              perBeat = std::max(1, 16 / metre.unit);
    const BarLine line = findBarLine(
        strokes, [&](const Stroke& s) { return std::lround((s.time - grid.origin) / step); },
        perBar, perBeat);
    const double bar = perBar * step;
    double at = grid.origin + line.sixteenth * step;
    const double first = strokes.front().time - 0.5 * step;
    at += std::ceil((first - bar + 1e-9 - at) / bar) * bar;
    if (at + bar <= first + step) at += bar;
    out.firstBar = at;
    out.barConfidence = line.confidence;
}

// Seconds from the nearest sixteenth of a time that changes.
double offsetFrom(const TimeMap& time, double seconds) {
    return seconds - secondsAt(time, 0.25 * std::round(4.0 * quarterAt(time, seconds)));
}

}  // namespace

KitTiming measureTiming(const std::vector<Stroke>& strokes, const TimeMap& time) {
    KitTiming out;
    if (std::ssize(strokes) < kFewestStrokes) return out;
    const MetreChange& metre = time.metres.front();
    const Grid grid = fit(strokes, time.tempos.front().bpm);
    out.bpm = 60.0 / grid.beat;
    out.confidence = shareOnGrid(strokes, grid);
    for (const double other : {0.5 * out.bpm, 2.0 * out.bpm}) {
        if (other >= 40.0 && other <= 260.0) out.alternatives.push_back(other);
    }
    placeBarLine(strokes, grid, metre, out);
    // A time that changes was told by somebody; the steady grid is what fits without.
    const bool told = time.tempos.size() > 1 || time.metres.size() > 1;
    const TimeMap bars = told ? time : steadyTime(out.bpm, out.firstBar, metre.beats, metre.unit);
    const auto offset = [&](double at) {
        return 1e3 * (told ? offsetFrom(time, at) : grid.offset(at));
    };
    std::map<std::string, std::vector<double>> byDrum;
    for (const Stroke& s : strokes) {
        if (s.kind != StrokeKind::flam) byDrum[s.drum].push_back(offset(s.time));
    }
    for (const auto& [drum, offsets] : byDrum)
        out.drums.push_back({drum, static_cast<int>(offsets.size()), quantile(offsets, 0.5),
                             0.5 * (quantile(offsets, 0.84) - quantile(offsets, 0.16))});
    std::size_t first = 0;
    int bar = std::max(0, barAt(bars, strokes.front().time));
    for (double from = secondsOfBar(bars, bar); from < strokes.back().time;) {
        const double to = secondsOfBar(bars, ++bar);
        std::vector<double> here;
        for (; first < strokes.size() && strokes[first].time < to; ++first) {
            const Stroke& s = strokes[first];
            if (s.time >= from && weightOf(s) >= 1.0) here.push_back(offset(s.time));
        }
        if (here.size() >= 3) out.drift.push_back({0.5 * (from + to), median(here)});
        from = to;
    }
    return out;
}

}  // namespace ember
