#include "core/measure/sound/layer_align.h"

#include "core/base/fft.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <complex>
#include <numbers>
#include <vector>

namespace ember {
namespace {

using Complex = std::complex<float>;

constexpr double kLowest = 15.0;    // Hz
constexpr double kFloorDb = -25.0;  // below its loudest band a sound is not there
constexpr double kWeight = 0.25;    // of a band: this power of both their powers
constexpr double kRelated = 0.83;   // likeness from which on two sounds share something
constexpr int kSteps = 32;          // between samples
const double kBand = std::exp2(1.0 / 6.0);

// Most drums are silence for more than half of a file that has an offset, or swing around it.
double offsetOf(std::span<const float> samples) {
    std::vector<float> sorted(samples.begin(), samples.end());
    const auto middle = sorted.begin() + std::ssize(sorted) / 2;
    std::nth_element(sorted.begin(), middle, sorted.end());
    return *middle;
}

std::vector<Complex> spectrumOf(std::span<const float> samples, RealFft& fft, double sampleRate) {
    const auto time = fft.time();
    std::fill(time.begin(), time.end(), 0.0F);
    const double offset = offsetOf(samples);
    for (std::size_t i = 0; i < samples.size(); ++i)
        time[i] = std::isfinite(samples[i]) ? static_cast<float>(samples[i] - offset) : 0.0F;
    const auto bins = fft.forward();
    std::vector<Complex> out(bins.begin(), bins.end());
    const double width = sampleRate / fft.length();
    for (std::size_t k = 0; k < out.size(); ++k) {
        const double place = std::clamp(static_cast<double>(k) * width / kLowest - 0.5, 0.0, 1.0);
        out[k] *= static_cast<float>(place * place * (3.0 - 2.0 * place));
    }
    return out;
}

double energyOf(const std::vector<Complex>& spectrum) {
    double sum = 0.0;
    for (const Complex& x : spectrum) sum += std::norm(x);
    return sum;
}

// The correlation at a shift between samples: what the second must move.
double correlationAt(const std::vector<Complex>& cross, double shift, int length) {
    const std::complex<double> step =
        std::polar(1.0, 2.0 * std::numbers::pi * shift / static_cast<double>(length));
    std::complex<double> turn = 1.0;
    double sum = 0.0;
    for (std::size_t k = 0; k < cross.size(); ++k) {
        const double weight = k == 0 || k + 1 == cross.size() ? 1.0 : 2.0;
        sum += weight * (turn * std::complex<double>(cross[k])).real();
        turn *= step;
        if ((k & 255U) == 255U) turn /= std::abs(turn);
    }
    return sum;
}

struct Peak {
    double shift = 0.0, value = 0.0;
};

// The place of the largest magnitude over all shifts at which the sounds can meet. Close to half
// the rate the course between two samples may rise over what any sample shows, so whatever comes
// near the largest is looked at more closely.
Peak peakOf(const std::vector<Complex>& cross, RealFft& fft, std::ptrdiff_t earliest,
            std::ptrdiff_t latest) {
    constexpr double kNear = 0.6;
    constexpr std::size_t kMostPlaces = 12;
    fft.inverse(cross);
    const auto time = fft.time();
    const auto at = [&](std::ptrdiff_t shift) {
        return std::abs(time[static_cast<std::size_t>(shift < 0 ? shift + fft.length() : shift)]);
    };
    float most = 0.0F;
    for (std::ptrdiff_t shift = earliest; shift <= latest; ++shift)
        most = std::max(most, at(shift));
    std::vector<std::ptrdiff_t> places;
    for (std::ptrdiff_t shift = earliest; shift <= latest; ++shift) {
        if (at(shift) >= kNear * most) places.push_back(shift);
    }
    std::sort(places.begin(), places.end(),
              [&](std::ptrdiff_t x, std::ptrdiff_t y) { return at(x) > at(y); });
    places.resize(std::min(places.size(), kMostPlaces));
    Peak best;
    const auto look = [&](double shift) {
        const double value = correlationAt(cross, shift, fft.length());
        if (std::abs(value) > std::abs(best.value)) best = {shift, value};
    };
    for (const std::ptrdiff_t place : places) {
        for (const double part : {-0.25, 0.0, 0.25, 0.5}) look(static_cast<double>(place) + part);
    }
    for (double step = 0.125; step > 1.0 / kSteps; step *= 0.5) {
        const double middle = best.shift;
        look(middle - step);
        look(middle + step);
    }
    return best;
}

// How alike two spectra are at a shift, 0..1: the coherence of neighbouring bins, over all bands in
// which both sounds are.
double likenessOf(const std::vector<Complex>& a, const std::vector<Complex>& b, double shift,
                  int length) {
    const std::size_t n = a.size();
    std::vector<std::complex<double>> cross(n + 1, 0.0);
    std::vector<double> powerA(n + 1, 0.0), powerB(n + 1, 0.0);
    const std::complex<double> step =
        std::polar(1.0, 2.0 * std::numbers::pi * shift / static_cast<double>(length));
    std::complex<double> turn = 1.0;
    for (std::size_t k = 0; k < n; ++k) {
        cross[k + 1] = cross[k] + turn * std::complex<double>(a[k] * std::conj(b[k]));
        powerA[k + 1] = powerA[k] + std::norm(a[k]);
        powerB[k + 1] = powerB[k] + std::norm(b[k]);
        turn *= step;
        if ((k & 255U) == 255U) turn /= std::abs(turn);
    }
    struct Band {
        double a, b, alike;
    };
    std::vector<Band> bands;
    double mostA = 0.0, mostB = 0.0;
    for (double from = 4.0; from < static_cast<double>(n); from *= kBand) {
        const auto low = static_cast<std::size_t>(from),
                   high = std::min(n, std::max(low + 4, static_cast<std::size_t>(from * kBand)));
        if (high <= low) break;
        const double x = powerA[high] - powerA[low], y = powerB[high] - powerB[low];
        bands.push_back(
            {x, y, x * y > 0.0 ? std::abs(cross[high] - cross[low]) / std::sqrt(x * y) : 0.0});
        mostA = std::max(mostA, x);
        mostB = std::max(mostB, y);
    }
    const double floor = std::pow(10.0, 0.1 * kFloorDb);
    double sum = 0.0, weights = 0.0;
    for (const Band& band : bands) {
        const double x = band.a / mostA, y = band.b / mostB;
        if (std::max(x, y) < floor) continue;
        // What one has and the other has not speaks against them, a little.
        const double weight = std::pow(x * y, kWeight);
        sum += weight * band.alike;
        weights += weight;
    }
    return weights > 0.0 ? sum / weights : 0.0;
}

}  // namespace

LayerAlignment alignLayers(std::span<const float> first, std::span<const float> second,
                           double sampleRate) {
    LayerAlignment out;
    if (first.empty() || second.empty()) return out;
    const auto length = static_cast<int>(std::bit_ceil(first.size() + second.size()));
    RealFft fft(length);
    const std::vector<Complex> a = spectrumOf(first, fft, sampleRate),
                               b = spectrumOf(second, fft, sampleRate);
    const double powerA = energyOf(a), powerB = energyOf(b);
    if (powerA <= 0.0 || powerB <= 0.0) return out;
    // c(shift) = sum over t of a(t) b(t - shift).
    std::vector<Complex> cross(a.size()), flat(a.size());
    for (std::size_t k = 0; k < a.size(); ++k) cross[k] = a[k] * std::conj(b[k]);
    const auto earliest = -std::ssize(second) + 1, latest = std::ssize(first) - 1;
    const Peak best = peakOf(cross, fft, earliest, latest);
    out.shift = best.shift;
    out.flip = best.value < 0.0;
    // Of one side of the spectrum; a correlation counts both.
    const double sum = 2.0 * (powerA + powerB);
    const double asTheyAre = sum + 2.0 * correlationAt(cross, 0.0, length);
    out.gainDb =
        10.0 * std::log10((sum + 2.0 * std::abs(best.value)) / std::max(1e-9 * sum, asTheyAre));

    out.likeness = likenessOf(a, b, best.shift, length);
    out.related = out.likeness >= kRelated;
    const double apart = (out.likeness - kRelated) / (out.related ? 1.0 - kRelated : kRelated);
    out.confidence = std::min(1.0, 0.5 + std::abs(apart));
    return out;
}

}  // namespace ember
