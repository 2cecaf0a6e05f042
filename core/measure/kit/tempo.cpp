#include "core/measure/kit/tempo.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace ember {
namespace {

// Rises of level, one value per finest pyramid bin, each recording in equal measure.
std::vector<double> onsetStrength(std::span<const std::shared_ptr<const Clip>> clips) {
    std::vector<double> strength;
    for (const auto& clip : clips) {
        const auto bins = clip->bins(0, 0);
        strength.resize(std::max(strength.size(), bins.size()), 0.0);
        const double peak = std::max(1e-4, static_cast<double>(clip->facts().peak));
        double before = 0.0;
        for (std::size_t i = 0; i < bins.size(); ++i) {
            const double level = std::sqrt(static_cast<double>(bins[i].meanSquare)) / peak;
            const double compressed = std::log1p(40.0 * level);
            strength[i] += std::max(0.0, compressed - before);
            before = compressed;
        }
    }
    return strength;
}

double at(const std::vector<double>& values, double place) {
    const auto i = static_cast<std::size_t>(std::max(0.0, place));
    if (i + 1 >= values.size()) return 0.0;
    const double part = place - static_cast<double>(i);
    return values[i] * (1.0 - part) + values[i + 1] * part;
}

}  // namespace

Tempo measureTempo(std::span<const std::shared_ptr<const Clip>> clips) {
    Tempo tempo;
    if (clips.empty()) return tempo;
    std::vector<double> onset = onsetStrength(clips);
    const double rate =
        static_cast<double>(clips[0]->sampleRate()) / static_cast<double>(Clip::kBinFrames);
    onset.resize(std::min(onset.size(), static_cast<std::size_t>(rate * 240.0)));
    if (static_cast<double>(onset.size()) < 6.0 * rate) return tempo;
    double mean = 0.0;
    for (const double v : onset) mean += v;
    mean /= static_cast<double>(onset.size());
    std::vector<double> centred(onset);
    for (double& v : centred) v -= mean;
    const auto longest = std::min(onset.size() - 1, static_cast<std::size_t>(8.5 * rate));
    std::vector<double> correlation(longest + 1, 0.0);
    for (std::size_t lag = 0; lag <= longest; ++lag) {
        double sum = 0.0;
        for (std::size_t i = lag; i < centred.size(); ++i) sum += centred[i] * centred[i - lag];
        correlation[lag] = sum / static_cast<double>(centred.size() - lag);
    }
    if (correlation[0] <= 0.0) return tempo;
    double best = -1.0, sum = 0.0;
    int count = 0;
    for (double bpm = 60.0; bpm <= 200.0; bpm += 0.05) {
        double score = 0.0;
        for (int beats = 1; beats <= 8; ++beats)
            score += at(correlation, beats * 60.0 / bpm * rate);
        const double octaves = std::log2(bpm / 110.0);
        score *= std::exp(-0.5 * octaves * octaves);
        sum += std::max(0.0, score);
        ++count;
        if (score > best) {
            best = score;
            tempo.bpm = bpm;
        }
    }
    tempo.confidence = best > 0.0 ? std::clamp(1.0 - sum / count / best, 0.0, 1.0) : 0.0;
    tempo.bpm = std::round(tempo.bpm * 20.0) / 20.0;
    const double beat = 60.0 / tempo.bpm * rate;
    double strongest = -1.0;
    for (double phase = 0.0; phase < beat; phase += 0.5) {
        double score = 0.0;
        for (double place = phase; place < static_cast<double>(onset.size()); place += beat)
            score += at(onset, place);
        if (score > strongest) {
            strongest = score;
            tempo.beat = phase / rate;
        }
    }
    return tempo;
}

}  // namespace ember
