#include "core/measure/separate/mic_powers.h"

#include "core/base/fft.h"
#include "core/base/statistics.h"

#include <oneapi/tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <utility>

namespace ember {
namespace {

// What is least, of a channel's mean: silence has a logarithm, too.
constexpr float kLeast = 1e-9F;

std::vector<SongSignal> signalsOf(const KitMics& kit) {
    std::vector<SongSignal> out;
    for (const MicSignal& mic : kit.mics) {
        if (!isMicrophone(mic.role)) continue;
        for (const auto& channel : mic.channels) out.push_back({channel, mic.offset});
    }
    return out;
}

// As it is recorded; returns the sum over all.
double powersOf(const SongSignal& signal, const BandGrid& grid, std::int64_t first, PowerMap& out,
                int channel) {
    const std::vector<float> shape = bandWindow(grid.window);
    RealFft fft(grid.window);
    double sum = 0.0;
    for (std::int64_t w = 0; w < out.windows; ++w) {
        const auto time = fft.time();
        signal.read((first + w - 3) * grid.hop(), time);
        for (std::size_t i = 0; i < time.size(); ++i) time[i] *= shape[i];
        const auto bins = fft.forward();
        float* to = out.at(channel, w);
        for (std::size_t b = 0; b < grid.firstBin.size(); ++b) {
            const auto end = b + 1 < grid.firstBin.size()
                                 ? static_cast<std::size_t>(grid.firstBin[b + 1])
                                 : bins.size();
            float power = 0.0F;
            for (auto k = static_cast<std::size_t>(grid.firstBin[b]); k < end; ++k)
                power += std::norm(bins[k]);
            to[b] = power;
            sum += static_cast<double>(power);
        }
    }
    return sum;
}

void scale(PowerMap& powers, int channel, float by) {
    float* values = powers.at(channel, 0);
    const auto count = static_cast<std::size_t>(powers.windows * powers.bands);
    std::transform(values, values + count, values, [&](float v) { return v * by + kLeast; });
}

}  // namespace

PowerMap measurePowers(const KitMics& kit, BleedModel& model, const Progress& progress) {
    PowerMap out(static_cast<int>(model.channels.size()), model.grid.windows, model.grid.bands());
    const std::vector<SongSignal> signals = signalsOf(kit);
    model.scales.resize(signals.size());
    report(progress, 0.0, "listening to every band");
    tbb::parallel_for(std::size_t{0}, signals.size(), [&](std::size_t c) {
        const int channel = static_cast<int>(c);
        const double sum = powersOf(signals[c], model.grid, 0, out, channel),
                     cells = static_cast<double>(out.windows) * out.bands;
        model.scales[c] = static_cast<float>(cells / std::max(sum, 1e-9));
        scale(out, channel, model.scales[c]);
    });
    return out;
}

PowerMap measurePowers(const KitMics& kit, const BleedModel& model, std::int64_t first,
                       std::int64_t count) {
    PowerMap out(static_cast<int>(model.channels.size()), count, model.grid.bands());
    const std::vector<SongSignal> signals = signalsOf(kit);
    tbb::parallel_for(std::size_t{0}, signals.size(), [&](std::size_t c) {
        const int channel = static_cast<int>(c);
        powersOf(signals[c], model.grid, first, out, channel);
        scale(out, channel, model.scales[c]);
    });
    return out;
}

std::vector<std::int16_t> measureArrivals(const KitMics& kit, const BleedModel& model) {
    constexpr double kStep = 0.0005, kBefore = 0.006, kAfter = 0.025;  // seconds
    constexpr double kBegins = 0.05, kStandsOut = 3.0;
    // Strokes are not found to the step; too early is heard by nobody, too late is a click.
    constexpr std::ptrdiff_t kSafe = 2;
    constexpr std::size_t kMostStrokes = 64;
    const std::vector<SongSignal> signals = signalsOf(kit);
    const auto step = static_cast<Frames>(kStep * kit.sampleRate);
    const auto before = static_cast<std::size_t>(kBefore / kStep),
               steps = before + static_cast<std::size_t>(kAfter / kStep);
    std::vector<std::int16_t> out(model.drums.size() * signals.size(), BleedModel::kNeverHeard);
    tbb::parallel_for(std::size_t{0}, out.size(), [&](std::size_t i) {
        const int drum = static_cast<int>(i / signals.size());
        const SongSignal& signal = signals[i % signals.size()];
        std::vector<Frames> strokes;
        for (std::size_t h = 0; h < model.hits.size(); ++h) {
            if (model.hits[h].drum == drum) strokes.push_back(model.struck[h]);
        }
        std::vector<std::vector<double>> envelopes(steps);
        std::vector<float> heard(steps * static_cast<std::size_t>(step));
        for (std::size_t s = 0; s < strokes.size(); s += 1 + strokes.size() / kMostStrokes) {
            signal.read(strokes[s] - static_cast<Frames>(before) * step, heard);
            std::vector<double> envelope(steps, 0.0);
            for (std::size_t k = 0; k < heard.size(); ++k) {
                double& most = envelope[k / static_cast<std::size_t>(step)];
                most = std::max(most, static_cast<double>(std::abs(heard[k])));
            }
            const double loudest = *std::max_element(envelope.begin(), envelope.end());
            if (loudest <= 0.0) continue;
            for (std::size_t k = 0; k < steps; ++k) envelopes[k].push_back(envelope[k] / loudest);
        }
        std::vector<double> usual(steps);
        for (std::size_t k = 0; k < steps; ++k) usual[k] = median(std::move(envelopes[k]));
        double level = 0.0;  // what sounds before
        for (std::size_t k = 0; k + 4 < before; ++k) level = std::max(level, usual[k]);
        const double peak = *std::max_element(usual.begin(), usual.end());
        if (peak <= 0.0 || peak < kStandsOut * level) return;
        const auto begins = std::find_if(usual.begin(), usual.end(), [&](double e) {
            return e >= level + kBegins * (peak - level);
        });
        out[i] = static_cast<std::int16_t>(
            (begins - usual.begin() - kSafe - static_cast<std::ptrdiff_t>(before)) * step);
    });
    return out;
}

}  // namespace ember
