#include "core/measure/sound/band_frames.h"

#include "core/base/fft.h"

#include <cmath>
#include <complex>
#include <cstddef>
#include <numbers>

namespace ember {

std::vector<std::vector<double>> bandFrames(std::span<const float> mono, double sampleRate,
                                            int length, int hop, std::span<const HertzBand> bands) {
    RealFft fft(length);
    std::vector<float> window(static_cast<std::size_t>(length));
    for (std::size_t i = 0; i < window.size(); ++i)
        window[i] = static_cast<float>(
            0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * (static_cast<double>(i) + 0.5) / length));
    std::vector<std::vector<double>> out;
    for (std::size_t at = 0; at + window.size() <= mono.size();
         at += static_cast<std::size_t>(hop)) {
        const auto time = fft.time();
        for (std::size_t i = 0; i < window.size(); ++i) time[i] = window[i] * mono[at + i];
        const auto spectrum = fft.forward();
        std::vector<double>& powers = out.emplace_back(bands.size(), 0.0);
        for (int bin = 1; bin < length / 2; ++bin) {
            const double hertz = bin * sampleRate / length;
            const auto power =
                static_cast<double>(std::norm(spectrum[static_cast<std::size_t>(bin)]));
            for (std::size_t b = 0; b < bands.size(); ++b) {
                if (hertz >= bands[b].low && hertz < bands[b].high) powers[b] += power;
            }
        }
    }
    return out;
}

}  // namespace ember
