#include "core/measure/separate/channel_gains.h"

#include "core/measure/separate/drum_powers.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <optional>
#include <utility>

namespace ember {

namespace {

// Cuts windows where strokes lie in them: before a stroke without what it gives, behind it as it
// is, or, where it lies late in a window, as in the one that has it in its middle. Strokes together
// are one; where several lie in a window, the one that gives it most counts.
class Cutter {
  public:
    Cutter(const BleedModel& model, int channel, const ChannelTurns& turns, const DrumPowers& drums,
           const std::vector<std::optional<OwnSound>>& shaped)
        : model_(model),
          channel_(channel),
          turns_(turns),
          drums_(drums),
          shaped_(shaped),
          bands_(static_cast<std::size_t>(model.grid.bands())) {}

    void cut(BandGains& out) {
        if (model_.arrivals.empty()) return;
        std::vector<std::pair<Frames, std::size_t>> arrivals;  // with the hit
        for (std::size_t h = 0; h < model_.hits.size(); ++h) {
            const std::int16_t later =
                model_.arrivals[static_cast<std::size_t>(model_.hits[h].drum) *
                                    model_.channels.size() +
                                static_cast<std::size_t>(channel_)];
            if (later != BleedModel::kNeverHeard)
                arrivals.emplace_back(model_.struck[h] + later, h);
        }
        std::sort(arrivals.begin(), arrivals.end());
        const auto together = static_cast<Frames>(kTogether * model_.sampleRate);
        for (std::size_t i = 0; i < arrivals.size();) {
            std::vector<std::size_t> hits;
            const Frames at = arrivals[i].first;
            for (; i < arrivals.size() && arrivals[i].first <= at + together; ++i)
                hits.push_back(arrivals[i].second);
            cutAt(at, hits);
        }
        finish(out);
    }

  private:
    static constexpr double kTogether = 0.003;  // seconds
    struct Found {
        int at = 0;
        float gives = 0.0F;
        std::vector<float> before;
        std::int64_t as = 0;  // the window whose gains hold behind it
    };

    void cutAt(Frames at, const std::vector<std::size_t>& hits) {
        const BandGrid& grid = model_.grid;
        // The first window that begins behind it; those before reach over it.
        const std::int64_t behind = at / grid.hop() + 4;
        if (at < 0 || behind >= grid.windows) return;
        for (std::int64_t w = std::max<std::int64_t>(0, behind - 4); w < behind; ++w) {
            const auto in = static_cast<int>(at - (w - 3) * grid.hop());
            if (in <= 0 || in >= grid.window) continue;
            std::vector<float> power(bands_, 0.0F);
            for (const std::size_t h : hits) drums_.addHit(h, w, 1.0, nullptr, power);
            const float gives = std::accumulate(power.begin(), power.end(), 0.0F);
            Found& found = found_[w];
            if (gives > found.gives) found = {in, gives, without(hits, w), std::max(w, behind - 2)};
        }
    }

    // Gains of a window as if these were not struck.
    [[nodiscard]] std::vector<float> without(const std::vector<std::size_t>& hits,
                                             std::int64_t window) const {
        std::vector<float> all(drums_.noise().begin(), drums_.noise().end()), kept(all);
        for (float& power : kept) power *= static_cast<float>(turns_.parts.back());
        for (std::size_t d = 0; d < model_.drums.size(); ++d) {
            drums_.addBeside(d, window, 1.0, all);
            drums_.addBeside(d, window, turns_.parts[d], kept);
        }
        for (std::size_t h = 0; h < model_.hits.size(); ++h) {
            const std::int64_t from = model_.hits[h].window;
            if (from > window || from + model_.length <= window) continue;
            if (std::find(hits.begin(), hits.end(), h) != hits.end()) continue;
            const auto d = static_cast<std::size_t>(model_.hits[h].drum);
            drums_.addHit(h, window, 1.0, nullptr, all);
            drums_.addHit(h, window, turns_.parts[d], shaped_[d] ? &*shaped_[d] : nullptr, kept);
        }
        for (std::size_t b = 0; b < bands_; ++b)
            kept[b] =
                all[b] > 0.0F ? std::max(static_cast<float>(turns_.floor), kept[b] / all[b]) : 1.0F;
        return kept;
    }

    void finish(BandGains& out) const {
        // The later windows are still what they were when an earlier one takes after them.
        for (const auto& [window, found] : found_) {
            if (found.gives <= 0.0F) continue;
            out.cuts.push_back({window, found.at, out.cuts.size()});
            out.before.insert(out.before.end(), found.before.begin(), found.before.end());
            const auto row = [&](std::int64_t w) {
                return out.gain.begin() +
                       static_cast<std::ptrdiff_t>(static_cast<std::size_t>(w) * bands_);
            };
            if (found.as != window) std::copy_n(row(found.as), bands_, row(window));
        }
    }

    const BleedModel& model_;
    int channel_;
    const ChannelTurns& turns_;
    const DrumPowers& drums_;
    const std::vector<std::optional<OwnSound>>& shaped_;
    std::size_t bands_;
    std::map<std::int64_t, Found> found_;  // by window
};

}  // namespace

BandGains bandGains(const BleedModel& model, int channel, const ChannelTurns& turns) {
    const BandGrid& grid = model.grid;
    BandGains out{grid, {}, {}, {}};
    const auto bands = static_cast<std::size_t>(grid.bands());
    const auto windows = static_cast<std::size_t>(grid.windows);
    out.gain.assign(windows * bands, 1.0F);
    if (model.drums.empty() || channel < 0) return out;
    const DrumPowers drums(model, channel);
    std::vector<std::optional<OwnSound>> shaped(model.drums.size());
    if (turns.shape.shapes()) {
        for (const int drum : turns.own)
            shaped[static_cast<std::size_t>(drum)].emplace(model, channel, drum, turns.shape,
                                                           turns.room);
    }
    const auto rest = static_cast<float>(turns.parts.back());
    const auto floor = static_cast<float>(turns.floor);
    constexpr std::size_t kPortion = 256;
    tbb::parallel_for(std::size_t{0}, (windows + kPortion - 1) / kPortion, [&](std::size_t p) {
        const std::size_t first = p * kPortion, last = std::min(windows, first + kPortion);
        std::vector<float> power((last - first) * bands), all(power), kept(power);
        for (std::size_t i = 0; i < all.size(); ++i) {
            all[i] = drums.noise()[i % bands];
            kept[i] = rest * all[i];
        }
        for (std::size_t d = 0; d < model.drums.size(); ++d) {
            drums.of(static_cast<int>(d), static_cast<std::int64_t>(first), power);
            for (std::size_t i = 0; i < all.size(); ++i) all[i] += power[i];
            if (shaped[d])
                drums.of(static_cast<int>(d), static_cast<std::int64_t>(first), power, &*shaped[d]);
            const auto gain = static_cast<float>(turns.parts[d]);
            for (std::size_t i = 0; i < all.size(); ++i) kept[i] += gain * power[i];
        }
        for (std::size_t i = 0; i < all.size(); ++i)
            out.gain[first * bands + i] = std::max(floor, kept[i] / all[i]);
    });
    // What is evened out has no edges.
    if (turns.soft == 0.0) Cutter(model, channel, turns, drums, shaped).cut(out);
    // A moving mean in dB over `soft` seconds, by band.
    const auto reach =
        static_cast<std::ptrdiff_t>(std::lround(0.5 * turns.soft * model.sampleRate / grid.hop()));
    if (reach > 0) {
        tbb::parallel_for(std::size_t{0}, bands, [&](std::size_t b) {
            std::vector<double> sums(windows + 1, 0.0);
            for (std::size_t w = 0; w < windows; ++w)
                sums[w + 1] = sums[w] + std::log(std::max(
                                            1e-4, static_cast<double>(out.gain[w * bands + b])));
            for (std::size_t w = 0; w < windows; ++w) {
                const auto at = static_cast<std::ptrdiff_t>(w);
                const auto from = static_cast<std::size_t>(std::max<std::ptrdiff_t>(0, at - reach));
                const std::size_t to = std::min(windows, w + static_cast<std::size_t>(reach) + 1);
                out.gain[w * bands + b] = static_cast<float>(
                    std::exp((sums[to] - sums[from]) / static_cast<double>(to - from)));
            }
        });
    }
    return out;
}

}  // namespace ember
