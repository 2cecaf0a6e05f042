#include "core/report/ear_bands.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>

namespace ember {
namespace {

constexpr int kBandFft = 16384;

}  // namespace

std::vector<double> earBands() {
    std::vector<double> out;
    for (double f = 40.0; f < 16500.0; f *= std::exp2(1.0 / 3.0)) out.push_back(f);
    return out;
}

std::vector<double> earBandEdges() {
    std::vector<double> out;
    const std::vector<double> centres = earBands();
    out.reserve(centres.size() + 1);
    for (const double f : centres) out.push_back(f * std::exp2(-1.0 / 6.0));
    out.push_back(centres.back() * std::exp2(1.0 / 6.0));
    return out;
}

BandPowers::BandPowers(double sampleRate, std::vector<double> edges)
    : sampleRate_(sampleRate), edges_(std::move(edges)), fft_(kBandFft) {}

std::vector<double> BandPowers::none() const {
    return std::vector<double>(edges_.size() - 1, 0.0);
}

void BandPowers::add(std::span<const float> samples, std::vector<double>& into) {
    const auto time = fft_.time();
    std::fill(time.begin(), time.end(), 0.0F);
    const auto count = std::min<std::size_t>(samples.size(), kBandFft);
    for (std::size_t i = 0; i < count; ++i) {
        const double place = static_cast<double>(i) / static_cast<double>(count);
        const double fade =
            place < 0.5 ? 1.0 : 0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * place);
        time[i] = static_cast<float>(samples[i] * fade);
    }
    const auto bins = fft_.forward();
    std::size_t band = 0;
    for (std::size_t k = 1; k < bins.size(); ++k) {
        const double hertz = static_cast<double>(k) * sampleRate_ / kBandFft;
        while (band + 1 < edges_.size() && hertz >= edges_[band + 1]) ++band;
        if (band + 1 >= edges_.size()) break;
        if (hertz >= edges_[band]) into[band] += std::norm(bins[k]);
    }
}

std::vector<double> bandChanges(const std::vector<double>& powers,
                                const std::vector<double>& others, double below) {
    std::vector<double> out(powers.size(), 0.0);
    double most = 0.0;
    for (const auto* side : {&powers, &others})
        for (const double v : *side) most = std::max(most, v);
    const double least = most * std::pow(10.0, -0.1 * below);
    for (std::size_t i = 0; i < out.size() && most > 0.0; ++i) {
        if (std::max(powers[i], others[i]) >= least)
            out[i] = 10.0 * std::log10(std::max(powers[i], least) / std::max(others[i], least));
    }
    return out;
}

}  // namespace ember
