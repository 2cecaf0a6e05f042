#include "core/measure/recognise.h"

#include "core/measure/spectrum.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace ember {

SoundTraits soundTraits(const Clip& clip) {
    SoundTraits t;
    constexpr double kSeconds = 90.0;
    const auto rate = static_cast<double>(clip.sampleRate());
    const auto all = static_cast<std::size_t>(clip.frames());
    const auto frames = std::min(all, static_cast<std::size_t>(kSeconds * rate));
    const auto samples = clip.channel(0).first(frames);
    const auto step = static_cast<std::size_t>(0.010 * rate);
    std::vector<double> levels;
    for (std::size_t at = 0; at + step <= frames; at += step) {
        double sum = 0.0;
        for (std::size_t i = at; i < at + step; ++i)
            sum += static_cast<double>(samples[i]) * static_cast<double>(samples[i]);
        levels.push_back(10.0 * std::log10(sum / static_cast<double>(step) + 1e-12));
    }
    if (levels.size() < 20 || static_cast<double>(clip.facts().peak) < 3e-4) return t;
    std::vector<double> sorted = levels;
    std::sort(sorted.begin(), sorted.end());
    const double loud =
        sorted[static_cast<std::size_t>(0.995 * static_cast<double>(sorted.size() - 1))];
    // Rests say nothing about the sound.
    const auto heard = std::lower_bound(sorted.begin(), sorted.end(), loud - 60.0);
    t.spikiness = loud - heard[(sorted.end() - heard) / 2];
    SpectrumMeter meter(rate);
    int strokes = 0;
    for (std::size_t i = 0; i < levels.size(); ++i) {
        if (levels[i] < loud - 12.0) continue;
        const std::size_t from = (i > 2 ? i - 2 : 0) * step;
        if (from + SpectrumMeter::kLength > frames) break;
        meter.add(samples.subspan(from, SpectrumMeter::kLength));
        ++strokes;
        i += SpectrumMeter::kLength / step;
    }
    t.strokes = strokes / (static_cast<double>(frames) / rate);
    const std::array<double, 6> edges{20.0, 130.0, 450.0, 2500.0, 7000.0, 20000.0};
    std::array<double, 5> power{};
    double total = 0.0;
    for (std::size_t b = 0; b < 5; ++b) total += power[b] = meter.power(edges[b], edges[b + 1]);
    if (total <= 0.0) return t;
    t.silent = false;
    t.sub = power[0] / total;
    t.low = power[1] / total;
    t.middle = power[2] / total;
    t.high = power[3] / total;
    t.air = power[4] / total;
    const Spectrum spectrum = meter.result(12);
    const auto top = std::max_element(spectrum.level.begin(), spectrum.level.end());
    t.peakHz = spectrum.frequency[static_cast<std::size_t>(top - spectrum.level.begin())];
    return t;
}

Recognition recogniseSound(const SoundTraits& t, int channels) {
    Recognition r;
    if (t.silent) return r;
    const auto is = [&](Role role, double confidence) {
        r.role = role;
        r.confidence = confidence;
        return r;
    };
    const double bright = t.high + t.air, deep = t.sub + t.low;
    if (channels == 2) {
        // A pair is a picture of the whole kit; nearness tells overheads from rooms only roughly.
        return bright > 0.3 ? is(Role::overhead, 0.55) : is(Role::kit, 0.5);
    }
    if (t.sub > 0.6 && t.spikiness < 15.0) {
        is(Role::bass, 0.6);
        r.kind = RowKind::guest;
        return r;
    }
    if (bright > 0.45)
        return t.air > 0.55 * t.high && t.strokes > 2.4 ? is(Role::hat, 0.55) : is(Role::ride, 0.5);
    // The lowest mode tells heads apart: kicks lie below some 66 Hz, toms up to 160, snares above.
    if (deep > 0.8 && t.peakHz < 66.0) return is(Role::kick, 0.65);
    if (deep > 0.9 && t.peakHz < 160.0) return is(Role::tom, 0.55);
    if (t.low > 0.4 && t.peakHz >= 150.0 && t.peakHz < 300.0 && bright > 0.02)
        return is(Role::snare, 0.65);
    return r;
}

}  // namespace ember
