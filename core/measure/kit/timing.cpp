#include "core/measure/kit/timing.h"

#include "core/base/statistics.h"
#include "core/session/drum.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

constexpr int kFewest = 16;        // strokes that can tell a tempo
constexpr double kOnGrid = 0.125;  // of a beat: thirty-seconds are off the sixteenth grid

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

// How well "one" falls on each sixteenth of a bar: kicks and crashes there, snares on two and four.
void findBarLine(const std::vector<Stroke>& strokes, const Grid& grid, int beatsPerBar,
                 KitTiming& out) {
    const int perBar = 4 * beatsPerBar;
    std::vector<double> kick(static_cast<std::size_t>(perBar), 0.0), snare = kick, cymbal = kick;
    std::map<std::string, double> total;
    for (const Stroke& s : strokes) {
        if (s.kind == StrokeKind::ghost || s.kind == StrokeKind::flam) continue;
        auto k = static_cast<long>(std::lround((s.time - grid.origin) / (0.25 * grid.beat)));
        k = ((k % perBar) + perBar) % perBar;
        const auto at = static_cast<std::size_t>(k);
        total[s.drum] += s.velocity;
        if (s.drum == "kick") kick[at] += s.velocity;
        if (s.drum == "snare") snare[at] += s.velocity;
        if (drumFamily(s.drum) == DrumFamily::cymbal && s.kind == StrokeKind::accent)
            cymbal[at] += s.velocity;
    }
    const auto share = [&](const std::vector<double>& v, int at) {
        double sum = 1e-9;
        for (const double x : v) sum += x;
        return v[static_cast<std::size_t>(((at % perBar) + perBar) % perBar)] / sum;
    };
    double best = -1e9, next = -1e9;
    int one = 0;
    for (int at = 0; at < perBar; ++at) {
        double score = share(kick, at) - share(snare, at) + 0.5 * share(cymbal, at);
        for (int beat = 1; beat < beatsPerBar; beat += 2) score += share(snare, at + 4 * beat);
        for (int beat = 2; beat < beatsPerBar; beat += 2) score += 0.3 * share(kick, at + 4 * beat);
        if (score > best) {
            next = best;
            best = score;
            one = at;
        } else if (score > next) {
            next = score;
        }
    }
    const double bar = beatsPerBar * grid.beat;
    double at = grid.origin + one * 0.25 * grid.beat;
    const double first = strokes.front().time - 0.5 * 0.25 * grid.beat;
    at += std::ceil((first - bar + 1e-9 - at) / bar) * bar;  // the bar of the first stroke
    if (at + bar <= first + 0.25 * grid.beat) at += bar;
    out.firstBar = at;
    out.barConfidence = std::clamp((best - next) / 0.4, 0.0, 1.0);
}

}  // namespace

KitTiming measureTiming(const std::vector<Stroke>& strokes, double bpmHint, int beatsPerBar) {
    KitTiming out;
    if (std::ssize(strokes) < kFewest || bpmHint <= 0.0 || beatsPerBar < 1) return out;
    Grid grid = fit(strokes, bpmHint);
    out.bpm = 60.0 / grid.beat;
    out.confidence = shareOnGrid(strokes, grid);
    for (const double other : {0.5 * out.bpm, 2.0 * out.bpm}) {
        if (other >= 40.0 && other <= 260.0) out.alternatives.push_back(other);
    }
    findBarLine(strokes, grid, beatsPerBar, out);
    std::map<std::string, std::vector<double>> byDrum;
    for (const Stroke& s : strokes) {
        if (s.kind != StrokeKind::flam) byDrum[s.drum].push_back(1e3 * grid.offset(s.time));
    }
    for (const auto& [drum, offsets] : byDrum)
        out.drums.push_back({drum, static_cast<int>(offsets.size()), quantile(offsets, 0.5),
                             0.5 * (quantile(offsets, 0.84) - quantile(offsets, 0.16))});
    const double bar = beatsPerBar * grid.beat;
    std::size_t first = 0;
    for (double from = out.firstBar; from < strokes.back().time; from += bar) {
        std::vector<double> here;
        for (; first < strokes.size() && strokes[first].time < from + bar; ++first) {
            const Stroke& s = strokes[first];
            if (s.time >= from && weightOf(s) >= 1.0) here.push_back(1e3 * grid.offset(s.time));
        }
        if (here.size() >= 3) out.drift.push_back({from + 0.5 * bar, median(here)});
    }
    return out;
}

}  // namespace ember
