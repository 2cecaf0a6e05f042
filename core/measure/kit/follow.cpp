// Krebs, F., Böck, S., Widmer, G. (2015): An efficient state-space model for joint tempo and meter
// tracking. ISMIR. Their hidden states are a place within the beat and a tempo; here only the beats
// themselves are states, since strokes are known to the millisecond and need no frames.
#include "core/base/error.h"
#include "core/measure/kit/bar_line.h"
#include "core/measure/kit/timing.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>

namespace ember {
namespace {

constexpr double kHop = 0.005;      // seconds between places a beat may have
constexpr double kReach = 0.25;     // of the tempo begun with
constexpr double kOnGridSd = 0.01;  // seconds a stroke strays from where it is meant
constexpr double kOffGrid = 0.6;    // what a stroke between sixteenths costs, of its weight
constexpr int kLargestStep = 4;     // hops a beat may be longer or shorter than the one before
constexpr double kStepCost = 0.12;  // for the first of them; grows with the square
// Of a stroke on the beat, its second, third and fourth sixteenth.
constexpr std::array<double, 4> kWorth{1.0, 0.45, 0.75, 0.45};

double weightOf(const Stroke& s) {
    if (s.kind == StrokeKind::flam) return 0.0;
    return (s.kind == StrokeKind::ghost ? 0.3 : 1.0) * (0.5 + 0.5 * s.velocity);
}

class Beats {
  public:
    Beats(const std::vector<Stroke>& strokes, double beat) : strokes_(strokes) {
        shortest_ = std::max(2, static_cast<int>(std::floor(beat / (1.0 + kReach) / kHop)));
        longest_ = static_cast<int>(std::ceil(beat / (1.0 - kReach) / kHop));
        lengths_ = longest_ - shortest_ + 1;
        origin_ = strokes.front().time - longest_ * kHop;
        places_ = static_cast<int>((strokes.back().time - origin_) / kHop) + longest_ + 1;
    }

    // Seconds, from before the first stroke to behind the last.
    std::vector<double> run() {
        best_.assign(size(), 0.0F);
        from_.assign(size(), 0);
        for (int at = shortest_; at < places_; ++at) {
            for (int l = 0; l < lengths_; ++l) {
                const int before = at - shortest_ - l;
                if (before >= 0) reach(at, l, before);
            }
        }
        return walkBack();
    }

  private:
    [[nodiscard]] std::size_t size() const {
        return static_cast<std::size_t>(places_) * static_cast<std::size_t>(lengths_);
    }
    [[nodiscard]] std::size_t state(int at, int length) const {
        return static_cast<std::size_t>(at) * static_cast<std::size_t>(lengths_) +
               static_cast<std::size_t>(length);
    }

    // The best way to a beat of this length that ends here: its own strokes, and the beat before,
    // which was nearly as long. A way may begin anywhere.
    void reach(int at, int length, int before) {
        float best = 0.0F;
        int step = 0;
        for (int d = -kLargestStep; d <= kLargestStep; ++d) {
            const int l = length + d;
            if (l < 0 || l >= lengths_) continue;
            const auto cost = static_cast<float>(kStepCost * d * d);
            const float score = best_[state(before, l)] - cost;
            if (score > best) {
                best = score;
                step = d;
            }
        }
        best_[state(at, length)] = best + static_cast<float>(worth(before, at));
        from_[state(at, length)] = static_cast<std::int16_t>(step);
    }

    // What the strokes between two beats say for them.
    [[nodiscard]] double worth(int before, int at) const {
        const double from = origin_ + before * kHop, length = (at - before) * kHop;
        // A beat owns what is played from an eighth of itself before it on.
        const double first = from - 0.125 * length, last = first + length;
        auto s = std::lower_bound(strokes_.begin(), strokes_.end(), first,
                                  [](const Stroke& x, double t) { return x.time < t; });
        double sum = 0.0;
        for (; s != strokes_.end() && s->time < last; ++s) {
            const double place = 4.0 * (s->time - from) / length, nearest = std::round(place),
                         off = (place - nearest) * 0.25 * length / kOnGridSd;
            const double on = std::exp(-0.5 * off * off);
            const auto k = static_cast<std::size_t>(std::clamp(nearest, 0.0, 3.0));
            sum += weightOf(*s) * (kWorth[k] * on - kOffGrid * (1.0 - on));
        }
        return sum;
    }

    std::vector<double> walkBack() const {
        int at = places_ - 1, length = 0;
        for (int a = places_ - longest_; a < places_; ++a) {
            for (int l = 0; l < lengths_; ++l) {
                if (best_[state(a, l)] > best_[state(at, length)]) {
                    at = a;
                    length = l;
                }
            }
        }
        std::vector<double> beats{origin_ + at * kHop};
        while (at - shortest_ - length >= 0 && beats.back() > strokes_.front().time) {
            const int before = at - shortest_ - length, step = from_[state(at, length)];
            at = before;
            length = std::clamp(length + step, 0, lengths_ - 1);
            beats.push_back(origin_ + at * kHop);
        }
        std::reverse(beats.begin(), beats.end());
        return beats;
    }

    const std::vector<Stroke>& strokes_;
    int shortest_ = 0, longest_ = 0, lengths_ = 0, places_ = 0;
    double origin_ = 0.0;
    std::vector<float> best_;         // [place][length]
    std::vector<std::int16_t> from_;  // how many hops longer the beat before was
};

// A time that has a beat at each of these seconds, counted in quarters from the first.
TimeMap throughBeats(const std::vector<double>& beats) {
    return throughBars(beats, {0, 1, 4});
}

// Bar lines between the strokes around them: a stroke's distance from its sixteenth, weighed by how
// near it is, is the bar line's.
void settle(const std::vector<Stroke>& strokes, const MetreChange& metre,
            std::vector<double>& bars) {
    const TimeMap time = throughBars(bars, metre);
    std::vector<double> moved(bars.size(), 0.0), weight(bars.size(), 0.0);
    for (const Stroke& s : strokes) {
        const double quarter = quarterAt(time, s.time),
                     off = s.time - secondsAt(time, 0.25 * std::round(4.0 * quarter));
        if (std::abs(off) > 3.0 * kOnGridSd) continue;
        const double place = quarter / quarterOfBar(time, 1);
        const auto near = static_cast<std::ptrdiff_t>(std::floor(place));
        for (std::ptrdiff_t b = near; b <= near + 1; ++b) {
            if (b < 0 || b >= std::ssize(bars)) continue;
            const double w =
                weightOf(s) * std::max(0.0, 1.0 - std::abs(place - static_cast<double>(b)));
            moved[static_cast<std::size_t>(b)] += w * off;
            weight[static_cast<std::size_t>(b)] += w;
        }
    }
    for (std::size_t b = 0; b < bars.size(); ++b) {
        if (weight[b] > 1.0) bars[b] += moved[b] / weight[b];
    }
}

}  // namespace

TimeMap followStrokes(const std::vector<Stroke>& strokes, const TimeMap& time) {
    constexpr int kFewest = 16;
    if (std::ssize(strokes) < kFewest)
        throw Error("There are too few strokes to follow a drummer by: at least 16 are needed.");
    const MetreChange metre{0, time.metres.front().beats, time.metres.front().unit};
    const std::vector<double> beats = Beats(strokes, 60.0 / time.tempos.front().bpm).run();
    const TimeMap counted = throughBeats(beats);
    const int perBar = std::max(1, 16 * metre.beats / metre.unit),
              perBeat = std::max(1, 16 / metre.unit);
    const BarLine line = findBarLine(
        strokes, [&](const Stroke& s) { return std::lround(4.0 * quarterAt(counted, s.time)); },
        perBar, perBeat);
    std::vector<double> bars;
    const double last = quarterAt(counted, strokes.back().time);
    // From the bar of the first stroke on.
    double quarter = 0.25 * line.sixteenth;
    const double bar = 0.25 * perBar, first = quarterAt(counted, strokes.front().time) + 0.125;
    quarter += std::floor((first - quarter) / bar) * bar;
    for (; quarter <= last + bar; quarter += bar) bars.push_back(secondsAt(counted, quarter));
    for (int i = 0; i < 3; ++i) settle(strokes, metre, bars);
    return throughBars(bars, metre);
}

}  // namespace ember
