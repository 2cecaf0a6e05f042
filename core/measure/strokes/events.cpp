#include "core/measure/strokes/events.h"

#include "core/base/fft.h"
#include "core/measure/strokes/onsets.h"

#include <oneapi/tbb/enumerable_thread_specific.h>
#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <numbers>
#include <numeric>

namespace ember {
namespace {

constexpr double kShortFrom = 1000.0;  // bands above are read from a short window
constexpr double kLateFrom = 60.0;     // and, where a mic hears all, once more later
constexpr double kLateOver = 0.016;    // seconds by which overheads and rooms may lag behind
constexpr double kCloseRiseDb = 3.5, kWholeRiseDb = 5.5;
constexpr double kBeforeRise = 0.004;  // and before the strongest rise
constexpr double kAcross = 0.009;      // seconds for sound to cross a kit

// Spectrum of a stretch of sound under a window with a steep side towards the stroke.
class Window {
  public:
    Window(double seconds, double rate) : rate_(rate) {
        int length = 64;
        while (length < static_cast<int>(seconds * rate)) length *= 2;
        fft_ = std::make_unique<RealFft>(length);
        frames_ = static_cast<int>(seconds * rate);
    }
    [[nodiscard]] double seconds() const { return frames_ / rate_; }

    // Power spectrum of [from, from + frames) (or, backwards, what ends at `from`); the gentle side
    // of the window is the one away from `from`.
    void read(const MicSignal& mic, std::size_t channel, Frames from, Frames length, bool backwards,
              std::vector<float>& power) {
        const auto time = fft_->time();
        std::fill(time.begin(), time.end(), 0.0F);
        const int frames = static_cast<int>(std::clamp<Frames>(length, 32, frames_));
        const int steep = std::max(2, static_cast<int>(0.0008 * rate_)), gentle = frames / 2;
        double area = 0.0;
        for (int i = 0; i < frames; ++i) {
            double w = 1.0;
            if (i < steep) w = 0.5 - 0.5 * std::cos(std::numbers::pi * (i + 0.5) / steep);
            if (i >= frames - gentle)
                w *= 0.5 + 0.5 * std::cos(std::numbers::pi * (i - frames + gentle + 0.5) / gentle);
            area += w * w;
            const Frames at = backwards ? from - 1 - i : from + i;
            time[static_cast<std::size_t>(i)] = static_cast<float>(w) * mic.at(channel, at);
        }
        const auto bins = fft_->forward();
        power.resize(bins.size());
        const auto scale = static_cast<float>(2.0 / (area * fft_->length()));
        for (std::size_t k = 0; k < bins.size(); ++k) power[k] = scale * std::norm(bins[k]);
    }

    [[nodiscard]] float band(const std::vector<float>& power, double low, double high) const {
        const double width = rate_ / fft_->length();
        const double a = low / width, b = std::min(high / width, fft_->length() / 2.0);
        double sum = 0.0;
        for (auto k = static_cast<std::size_t>(a); static_cast<double>(k) < b; ++k) {
            const double share =
                std::min(b, static_cast<double>(k) + 1.0) - std::max(a, static_cast<double>(k));
            sum += share * static_cast<double>(power[k]);
        }
        return static_cast<float>(sum);
    }

  private:
    double rate_;
    std::unique_ptr<RealFft> fft_;
    int frames_ = 0;
};

// Rooms, and what nobody recognised.
bool isFar(Role role) {
    return role == Role::room || role == Role::unknown;
}

std::vector<RiseBand> bandsOf(const KitMics& kit) {
    bool closeToAll = false;
    for (const MicSignal& mic : kit.mics)
        closeToAll = closeToAll || (hearsAll(mic.role) && !isFar(mic.role));
    std::vector<RiseBand> out;
    for (std::size_t m = 0; m < kit.mics.size(); ++m) {
        const Role role = kit.mics[m].role;
        if (!isMicrophone(role) || (isFar(role) && closeToAll)) continue;
        for (std::size_t c = 0; c < kit.mics[m].channels.size(); ++c) {
            for (const bool late : {false, true}) {
                if (late && !hearsAll(role)) continue;
                for (std::size_t b = 0; b + 1 < kRiseEdges.size(); ++b) {
                    if (kRiseEdges[b] >= 0.45 * kit.sampleRate ||
                        (late && kRiseEdges[b] < kLateFrom))
                        continue;
                    out.push_back({static_cast<int>(m), c, kRiseEdges[b], kRiseEdges[b + 1], late});
                }
            }
        }
    }
    return out;
}

struct MicOnset {
    Onset onset;
    std::size_t mic = 0;
};

// The strongest rise gathers what lies around it, so a chance flutter before a blow does not cut
// the blow in two.
std::vector<KitEvent> group(std::vector<MicOnset> all, const KitMics& kit) {
    const auto frames = [&](double seconds) {
        return static_cast<Frames>(seconds * kit.sampleRate);
    };
    std::sort(all.begin(), all.end(),
              [](const MicOnset& a, const MicOnset& b) { return a.onset.frame < b.onset.frame; });
    std::vector<std::size_t> byStrength(all.size());
    std::iota(byStrength.begin(), byStrength.end(), std::size_t{0});
    std::stable_sort(byStrength.begin(), byStrength.end(), [&](std::size_t a, std::size_t b) {
        return all[a].onset.strengthDb > all[b].onset.strengthDb;
    });
    std::vector<bool> taken(all.size(), false);
    std::vector<KitEvent> events;
    for (const std::size_t seed : byStrength) {
        if (taken[seed]) continue;
        const Onset& strongest = all[seed].onset;
        std::size_t first = seed;
        while (first > 0 && strongest.frame - all[first - 1].onset.frame <= frames(kBeforeRise))
            --first;
        KitEvent event{strongest.frame, std::vector<float>(kit.mics.size(), 0.0F), {}};
        for (std::size_t i = first;
             i < all.size() && all[i].onset.frame - strongest.frame <= frames(kAcross); ++i) {
            if (taken[i]) continue;
            taken[i] = true;
            if (all[i].onset.strengthDb >= 0.4F * strongest.strengthDb)
                event.frame = std::min(event.frame, all[i].onset.frame);
            float& strength = event.onsetDb[all[i].mic];
            strength = std::max(strength, all[i].onset.strengthDb);
        }
        events.push_back(std::move(event));
    }
    std::sort(events.begin(), events.end(),
              [](const KitEvent& a, const KitEvent& b) { return a.frame < b.frame; });
    return events;
}

// Overheads and rooms are late: what no close microphone hears now, it heard just before.
std::vector<KitEvent> joinLate(std::vector<KitEvent> events, const KitMics& kit) {
    const auto late = static_cast<Frames>(kLateOver * kit.sampleRate);
    const auto heardClose = [&](const KitEvent& e) {
        for (std::size_t m = 0; m < kit.mics.size(); ++m) {
            if (e.onsetDb[m] > 0.0F && !hearsAll(kit.mics[m].role)) return true;
        }
        return false;
    };
    std::vector<KitEvent> out;
    for (KitEvent& e : events) {
        if (out.empty() || e.frame - out.back().frame > late || heardClose(e) ||
            !heardClose(out.back())) {
            out.push_back(std::move(e));
            continue;
        }
        for (std::size_t m = 0; m < kit.mics.size(); ++m)
            out.back().onsetDb[m] = std::max(out.back().onsetDb[m], e.onsetDb[m]);
    }
    return out;
}

}  // namespace

KitEvents findEvents(const KitMics& kit, const Progress& progress) {
    KitEvents out;
    out.bands = bandsOf(kit);
    const double rate = kit.sampleRate;
    // Runs of bands of one channel.
    std::vector<std::pair<std::size_t, std::size_t>> runs;
    for (std::size_t i = 0; i < out.bands.size(); ++i) {
        const bool same = !runs.empty() && out.bands[runs.back().first].mic == out.bands[i].mic &&
                          out.bands[runs.back().first].channel == out.bands[i].channel;
        if (same)
            runs.back().second = i + 1;
        else
            runs.emplace_back(i, i + 1);
    }
    // Where nothing stands close, every flutter of the wash would be an event.
    const bool close = std::any_of(kit.mics.begin(), kit.mics.end(),
                                   [](const MicSignal& m) { return !hearsAll(m.role); });
    const double riseDb = close ? kCloseRiseDb : kWholeRiseDb;
    std::vector<std::vector<Onset>> onsets(runs.size());
    std::atomic<int> done{0};
    const auto told = [&](const char* what) {
        report(progress, (done.fetch_add(1) + 1) / (2.0 * static_cast<double>(runs.size())), what);
    };
    tbb::parallel_for(std::size_t{0}, runs.size(), [&](std::size_t r) {
        const RiseBand& first = out.bands[runs[r].first];
        const auto& mic = kit.mics[static_cast<std::size_t>(first.mic)];
        onsets[r] = findOnsets(mic, first.channel, rate, riseDb);
        told("Finding strokes");
    });
    std::vector<MicOnset> all;
    for (std::size_t r = 0; r < runs.size(); ++r) {
        for (const Onset& o : onsets[r])
            all.push_back({o, static_cast<std::size_t>(out.bands[runs[r].first].mic)});
    }
    out.events = joinLate(group(std::move(all), kit), kit);
    for (KitEvent& e : out.events) e.rise.assign(out.bands.size(), 0.0F);

    const auto frames = [&](double seconds) { return static_cast<Frames>(seconds * rate); };
    tbb::parallel_for(std::size_t{0}, runs.size(), [&](std::size_t r) {
        const RiseBand& first = out.bands[runs[r].first];
        const auto& mic = kit.mics[static_cast<std::size_t>(first.mic)];
        Window slow(0.042, rate), quick(0.016, rate);
        std::vector<float> slowAfter, slowBefore, quickAfter, quickBefore, lateAfter;
        for (std::size_t e = 0; e < out.events.size(); ++e) {
            KitEvent& event = out.events[e];
            const Frames at = event.frame - frames(0.001);
            const Frames next =
                e + 1 < out.events.size() ? out.events[e + 1].frame : at + frames(10.0);
            // What rings on from the event before is not this one's: compare with the time since.
            const Frames since =
                e > 0 ? std::max(frames(0.006), at - out.events[e - 1].frame) : frames(1.0);
            const Frames length = std::clamp(next - at, frames(0.014), frames(slow.seconds()));
            slow.read(mic, first.channel, at, length, false, slowAfter);
            slow.read(mic, first.channel, at, since, true, slowBefore);
            quick.read(mic, first.channel, at + frames(0.0005), frames(1.0), false, quickAfter);
            quick.read(mic, first.channel, at, since, true, quickBefore);
            const bool hasLate = next - at > frames(0.062);
            if (hasLate && out.bands[runs[r].second - 1].late)
                slow.read(mic, first.channel, at + frames(0.045), next - at - frames(0.045), false,
                          lateAfter);
            for (std::size_t i = runs[r].first; i < runs[r].second; ++i) {
                const RiseBand& b = out.bands[i];
                float& rise = event.rise[i];
                if (b.late && !hasLate) {
                    rise = -1.0F;
                    continue;
                }
                const bool high = !b.late && b.low >= kShortFrom;
                const Window& window = high ? quick : slow;
                const float before = window.band(high ? quickBefore : slowBefore, b.low, b.high);
                const float after = window.band(
                    b.late ? lateAfter : (high ? quickAfter : slowAfter), b.low, b.high);
                rise = std::sqrt(std::max(0.0F, after - before));
            }
        }
        told("Reading strokes");
    });
    return out;
}

}  // namespace ember
