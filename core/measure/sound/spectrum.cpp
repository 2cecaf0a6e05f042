#include "core/measure/sound/spectrum.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {

SpectrumMeter::SpectrumMeter(double sampleRate)
    : sampleRate_(sampleRate), fft_(kLength), power_(kLength / 2 + 1, 0.0) {
    for (int i = 0; i < kLength; ++i) {
        window_.push_back(
            static_cast<float>(0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * i / kLength)));
    }
}

void SpectrumMeter::add(std::span<const float> samples) {
    pending_.insert(pending_.end(), samples.begin(), samples.end());
    std::size_t at = 0;
    for (; pending_.size() - at >= kLength; at += kLength / 2) {
        const auto time = fft_.time();
        for (std::size_t i = 0; i < kLength; ++i) time[i] = window_[i] * pending_[at + i];
        const auto bins = fft_.forward();
        for (std::size_t k = 0; k < bins.size(); ++k)
            power_[k] += static_cast<double>(std::norm(bins[k]));
        ++frames_;
    }
    pending_.erase(pending_.begin(), pending_.begin() + static_cast<std::ptrdiff_t>(at));
}

double SpectrumMeter::power(double low, double high) const {
    if (frames_ == 0) return 0.0;
    // Fractional bins at both edges keep narrow bands comparable with wide ones.
    const double width = sampleRate_ / kLength;
    const double a = std::max(0.0, low / width), b = std::min(high / width, kLength / 2.0);
    double sum = 0.0;
    for (auto k = static_cast<std::size_t>(a); k < power_.size() && static_cast<double>(k) < b;
         ++k) {
        const double share =
            std::min(b, static_cast<double>(k) + 1.0) - std::max(a, static_cast<double>(k));
        sum += share * power_[k];
    }
    // A full-scale sine has |X|^2 summed over its main lobe of 3/32 N^2.
    constexpr double fullScale = 3.0 / 32.0 * kLength * static_cast<double>(kLength);
    return sum / (static_cast<double>(frames_) * fullScale);
}

Spectrum SpectrumMeter::result(int perOctave) const {
    Spectrum out;
    const double half = std::exp2(0.5 / perOctave),
                 top = std::min(20000.0, 0.5 * sampleRate_ / half);
    for (double f = 20.0; f <= top; f *= half * half) {
        out.frequency.push_back(f);
        out.level.push_back(
            std::max(kSilenceDb, 10.0 * std::log10(power(f / half, f * half) + 1e-30)));
    }
    return out;
}

}  // namespace ember
