#include "core/base/fft.h"
#include "core/base/statistics.h"
#include "core/measure/strokes/onsets.h"
#include "core/measure/who/who.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

namespace ember {
namespace {

constexpr double kSeconds = 100.0;
constexpr std::size_t kMostEvents = 320;
constexpr std::size_t kTraitBands = 8;
constexpr std::array<double, kTraitBands + 1> kTraitEdges{30.0,   80.0,   160.0,   300.0,  800.0,
                                                          2500.0, 6000.0, 10000.0, 18000.0};
using Bands = std::array<double, kTraitBands>;

// One event in one microphone.
struct Hearing {
    Arrival arrival;
    Bands now{}, later{};  // power by band in the 43 ms from the event on, and 70 ms after it
    double level = 0.0;    // dB against the microphone's loud strokes
};

struct Listener {
    MicSignal mic;
    std::vector<Hearing> events;
    double loud = 0.0;
    std::vector<double> spectrum;  // mean of its own loud strokes
    double width = 0.0;            // of a bin, Hz
};

std::vector<Frames> commonEvents(const std::vector<Listener>& all, double rate) {
    std::vector<std::vector<Onset>> onsets(all.size());
    tbb::parallel_for(std::size_t{0}, all.size(),
                      [&](std::size_t m) { onsets[m] = findOnsets(all[m].mic, 0, rate, 9.0); });
    std::vector<Onset> merged;
    for (const auto& list : onsets) merged.insert(merged.end(), list.begin(), list.end());
    std::sort(merged.begin(), merged.end(),
              [](const Onset& a, const Onset& b) { return a.frame < b.frame; });
    std::vector<Frames> events;
    const auto apart = static_cast<Frames>(0.02 * rate);
    for (const Onset& o : merged) {
        if (events.empty() || o.frame - events.back() > apart) events.push_back(o.frame);
    }
    if (events.size() <= kMostEvents) return events;
    std::vector<Frames> spread;
    for (std::size_t i = 0; i < kMostEvents; ++i)
        spread.push_back(events[i * events.size() / kMostEvents]);
    return spread;
}

// Power by band of `length` samples from a frame on, all channels together.
class Reader {
  public:
    explicit Reader(double rate) : fft_(rate > 60000.0 ? 4096 : 2048), rate_(rate) {}
    Bands read(const MicSignal& mic, Frames from, std::vector<double>* spectrum = nullptr) {
        Bands out{};
        for (std::size_t c = 0; c < mic.channels.size(); ++c) {
            const auto time = fft_.time();
            const auto n = static_cast<double>(time.size());
            for (std::size_t i = 0; i < time.size(); ++i) {
                // A steep rise towards the stroke, a gentle fall behind it.
                const double x = static_cast<double>(i) / n;
                const double w =
                    std::min(1.0, x * 40.0) * (0.5 + 0.5 * std::cos(std::numbers::pi * x));
                time[i] = static_cast<float>(w) * mic.at(c, from + static_cast<Frames>(i));
            }
            const auto bins = fft_.forward();
            if (spectrum != nullptr) spectrum->resize(bins.size(), 0.0);
            for (std::size_t k = 1; k < bins.size(); ++k) {
                const double hertz = static_cast<double>(k) * width();
                const auto power = static_cast<double>(std::norm(bins[k]));
                if (spectrum != nullptr) (*spectrum)[k] += power;
                for (std::size_t b = 0; b < kTraitBands; ++b) {
                    if (hertz >= kTraitEdges[b] && hertz < kTraitEdges[b + 1]) out[b] += power;
                }
            }
        }
        return out;
    }
    [[nodiscard]] double width() const { return rate_ / static_cast<double>(fft_.length()); }

  private:
    RealFft fft_;
    double rate_;
};

double db(double power) {
    return 10.0 * std::log10(power + 1e-12);
}

void hear(Listener& l, const std::vector<Frames>& events, double rate) {
    Reader reader(rate);
    const auto ms = [&](double v) { return static_cast<Frames>(v * 1e-3 * rate); };
    std::vector<double> peaks;
    for (const Frames at : events) {
        Hearing h;
        h.arrival = findArrival(l.mic, 0, rate, at - ms(3.0), at + ms(14.0));
        h.now = reader.read(l.mic, at);
        h.later = reader.read(l.mic, at + ms(70.0));
        const double power = std::accumulate(h.now.begin(), h.now.end(), 0.0);
        h.level = db(power);
        peaks.push_back(h.level);
        l.events.push_back(h);
    }
    l.loud = quantile(peaks, 0.95);
    for (Hearing& h : l.events) h.level = std::max(-60.0, h.level - l.loud);
}

// How alike two microphones' levels move from event to event.
double likeness(const Listener& a, const Listener& b) {
    const auto level = [](const Hearing& h) { return std::max(h.level, -36.0); };
    double ma = 0.0, mb = 0.0, ab = 0.0, aa = 1e-9, bb = 1e-9;
    const auto n = static_cast<double>(a.events.size());
    for (std::size_t e = 0; e < a.events.size(); ++e) {
        ma += level(a.events[e]) / n;
        mb += level(b.events[e]) / n;
    }
    for (std::size_t e = 0; e < a.events.size(); ++e) {
        const double x = level(a.events[e]) - ma, y = level(b.events[e]) - mb;
        ab += x * y;
        aa += x * x;
        bb += y * y;
    }
    return ab / std::sqrt(aa * bb);
}

struct Shape {
    Bands share{};  // of its own loud strokes, log10
    Bands fall{};   // dB in 70 ms
};

Shape shapeOf(const Listener& l, const std::vector<std::size_t>& own) {
    Bands now{}, later{};
    for (const std::size_t e : own) {
        const double power = std::accumulate(l.events[e].now.begin(), l.events[e].now.end(), 1e-12);
        for (std::size_t b = 0; b < kTraitBands; ++b) {
            now[b] += l.events[e].now[b] / power;
            later[b] += l.events[e].later[b] / power;
        }
    }
    const double total = std::accumulate(now.begin(), now.end(), 1e-12);
    Shape s;
    for (std::size_t b = 0; b < kTraitBands; ++b) {
        s.share[b] = std::log10(now[b] / total + 1e-4);
        s.fall[b] = std::clamp(db(later[b]) - db(now[b]), -40.0, 5.0);
    }
    return s;
}

}  // namespace

KitTraits kitTraits(const std::vector<Candidate>& candidates, double rate) {
    KitTraits out;
    out.traits.assign(candidates.size(), Traits{});
    out.heard.assign(candidates.size(), false);
    std::vector<Listener> all;
    std::vector<std::size_t> place;
    for (std::size_t c = 0; c < candidates.size(); ++c) {
        const Candidate& candidate = candidates[c];
        if (candidate.kind != RowKind::element || candidate.channels.empty()) continue;
        Listener l;
        const auto most = static_cast<std::size_t>(kSeconds * rate);
        float peak = 0.0F;
        for (const auto& channel : candidate.channels) {
            l.mic.channels.push_back(channel.first(std::min(channel.size(), most)));
            for (const float v : l.mic.channels.back()) peak = std::max(peak, std::abs(v));
        }
        if (peak < 3e-4F) continue;
        l.mic.offset = candidate.offset;
        all.push_back(std::move(l));
        place.push_back(c);
    }
    const std::vector<Frames> events = commonEvents(all, rate);
    if (events.size() < 4) return out;
    tbb::parallel_for(std::size_t{0}, all.size(),
                      [&](std::size_t m) { hear(all[m], events, rate); });
    // Who hears each event first, and who hears it relatively loudest.
    std::vector<std::size_t> loudest(events.size(), 0);
    std::vector<Frames> earliest(events.size(), -1);
    std::vector<std::size_t> leader(events.size(), all.size());
    for (std::size_t e = 0; e < events.size(); ++e) {
        for (std::size_t m = 0; m < all.size(); ++m) {
            const Hearing& h = all[m].events[e];
            if (h.level > all[loudest[e]].events[e].level) loudest[e] = m;
            if (h.arrival.frame < 0 || h.arrival.riseDb < 8.0F || h.level < -20.0) continue;
            if (earliest[e] < 0 || h.arrival.frame < earliest[e]) {
                earliest[e] = h.arrival.frame;
                leader[e] = m;
            }
        }
    }
    std::vector<std::vector<std::size_t>> own(all.size());
    std::vector<Shape> shapes(all.size());
    for (std::size_t m = 0; m < all.size(); ++m) {
        for (std::size_t e = 0; e < events.size(); ++e) {
            if (loudest[e] == m && all[m].events[e].level > -14.0) own[m].push_back(e);
        }
        if (own[m].size() < 3) {
            own[m].clear();
            for (std::size_t e = 0; e < events.size(); ++e) {
                if (all[m].events[e].level > -5.0) own[m].push_back(e);
            }
        }
        shapes[m] = shapeOf(all[m], own[m]);
        Reader reader(rate);
        for (std::size_t i = 0; i < std::min<std::size_t>(own[m].size(), 24); ++i)
            reader.read(all[m].mic, events[own[m][i]], &all[m].spectrum);
        all[m].width = reader.width();
    }
    const auto count = static_cast<double>(events.size());
    for (std::size_t m = 0; m < all.size(); ++m) {
        const Listener& l = all[m];
        std::vector<double> lags, levels;
        double leads = 0.0, hears = 0.0, hearsLoud = 0.0, owns = 0.0;
        for (std::size_t e = 0; e < events.size(); ++e) {
            const Hearing& h = l.events[e];
            levels.push_back(h.level);
            leads += leader[e] == m ? 1.0 : 0.0;
            owns += loudest[e] == m ? 1.0 : 0.0;
            hears += h.level > -24.0 ? 1.0 : 0.0;
            hearsLoud += h.level > -10.0 ? 1.0 : 0.0;
            if (earliest[e] >= 0 && h.arrival.frame >= 0 && h.level > -14.0)
                lags.push_back(static_cast<double>(h.arrival.frame - earliest[e]) / rate * 1e3);
        }
        // Its closest companion.
        double alike = 0.0;
        std::size_t twin = m;
        for (std::size_t o = 0; o < all.size(); ++o) {
            if (o == m) continue;
            const double like = likeness(l, all[o]);
            if (like > alike) {
                alike = like;
                twin = o;
            }
        }
        double first = 0.5;
        if (twin != m) {
            int ahead = 0, both = 0;
            for (std::size_t e = 0; e < events.size(); ++e) {
                const Arrival &a = l.events[e].arrival, &b = all[twin].events[e].arrival;
                if (a.frame < 0 || b.frame < 0 || l.events[e].level < -14.0) continue;
                ++both;
                ahead += a.frame < b.frame ? 1 : 0;
            }
            if (both > 0) first = static_cast<double>(ahead) / both;
        }
        std::size_t top = 1;
        for (std::size_t k = 1; k < l.spectrum.size(); ++k) {
            const double hertz = static_cast<double>(k) * l.width;
            if (hertz > 600.0) break;
            if (hertz > 30.0 && l.spectrum[k] > l.spectrum[top]) top = k;
        }
        double correlation = 0.0;
        if (l.mic.channels.size() == 2) {
            double xy = 0.0, xx = 1e-9, yy = 1e-9;
            const auto x = l.mic.channels[0], y = l.mic.channels[1];
            for (std::size_t i = 0; i < std::min(x.size(), y.size()); i += 3) {
                xy += static_cast<double>(x[i] * y[i]);
                xx += static_cast<double>(x[i] * x[i]);
                yy += static_cast<double>(y[i] * y[i]);
            }
            correlation = xy / std::sqrt(xx * yy);
        }
        std::size_t t = 0;
        Traits traits{};
        const auto put = [&](double v) { traits[t++] = v; };
        put(leads / count);
        put(owns / count);
        put(hears / count);
        put(hearsLoud / count);
        put(std::clamp(quantile(lags, 0.25), -2.0, 14.0));
        put(std::clamp(quantile(lags, 0.5), -2.0, 14.0));
        put(std::clamp(quantile(lags, 0.75), -2.0, 14.0));
        for (const double part : {0.25, 0.5, 0.75}) put(quantile(levels, part));
        for (const double v : shapes[m].share) put(v);
        for (const std::size_t b : {0U, 1U, 2U, 3U, 4U, 6U}) put(shapes[m].fall[b]);
        put(std::log2(std::max(30.0, static_cast<double>(top) * l.width) / 100.0));
        put(static_cast<double>(own[m].size()) / count);
        put(alike);
        put(first);
        // How the companion differs in the lows, the middle and the top.
        for (const auto& [from, to] : {std::pair{0U, 2U}, {3U, 4U}, {5U, 7U}}) {
            double mine = 0.0, other = 0.0;
            for (std::size_t b = from; b <= to; ++b) {
                mine += std::pow(10.0, shapes[m].share[b]);
                other += std::pow(10.0, shapes[twin].share[b]);
            }
            put(std::log10(mine + 1e-4) - std::log10(other + 1e-4));
        }
        put(l.mic.channels.size() == 2 ? 1.0 : 0.0);
        put(correlation);
        put(std::log(static_cast<double>(all.size())));
        put(std::log2(std::max(30.0, static_cast<double>(top) * l.width) / 100.0) *
            shapes[m].share[0]);
        // The level at its usual events against its loudest: close microphones stand apart.
        put(quantile(levels, 0.9) - quantile(levels, 0.6));
        out.traits[place[m]] = traits;
        out.heard[place[m]] = true;
    }
    return out;
}

}  // namespace ember
