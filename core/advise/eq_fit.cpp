#include "core/advise/eq_fit.h"

#include <algorithm>
#include <cmath>
#include <complex>

namespace ember {
namespace {

constexpr double kLowest = 40.0, kHighest = 16000.0;  // Hz
constexpr double kMostDb = 6.0, kLeastDb = 1.0;
constexpr double kOwnRing = 0.04;
constexpr double kMatchQ = 1.0;

double meanPower(const Spectrum& s, double low, double high) {
    double sum = 0.0;
    int count = 0;
    for (std::size_t i = 0; i < s.frequency.size(); ++i) {
        if (s.frequency[i] < low || s.frequency[i] >= high) continue;
        sum += std::pow(10.0, s.level[i] / 10.0);
        ++count;
    }
    return count > 0 ? sum / count : 0.0;
}

// Level over what lies a third of an octave to an octave away on both sides, dB.
double standsOut(const Spectrum& s, double hertz) {
    const double third = std::exp2(1.0 / 3.0), sixth = std::exp2(1.0 / 6.0);
    const double here = meanPower(s, hertz / sixth, hertz * sixth),
                 around = 0.5 * (meanPower(s, 0.5 * hertz, hertz / third) +
                                 meanPower(s, hertz * third, 2.0 * hertz));
    return here > 0.0 && around > 0.0 ? 10.0 * std::log10(here / around) : 0.0;
}

// Averages over half an octave to both sides.
std::vector<double> smoothed(const std::vector<double>& frequency, const std::vector<double>& db) {
    std::vector<double> out(db.size());
    for (std::size_t i = 0; i < db.size(); ++i) {
        double sum = 0.0;
        int count = 0;
        for (std::size_t k = 0; k < db.size(); ++k) {
            if (std::abs(std::log2(frequency[k] / frequency[i])) > 0.5) continue;
            sum += db[k];
            ++count;
        }
        out[i] = sum / count;
    }
    return out;
}

double bellDb(const BandFit& band, double hertz) {
    double db = 0.0;
    for (const AnalogueSection& s :
         analogueSections(EqShape::bell, band.frequency, band.gainDb, band.q, 2))
        db += 20.0 * std::log10(std::abs(response(s, hertz)));
    return db;
}

}  // namespace

BandFit cutAt(const Spectrum& spectrum, std::span<const Ring> rings, double hertz) {
    for (const Ring& ring : rings) {
        if (std::abs(ring.hertz / hertz - 1.0) > kOwnRing || ring.t60 <= 0.0) continue;
        return {ring.hertz, -std::clamp(ring.prominenceDb - 3.0, 3.0, 12.0),
                std::clamp(ring.hertz * ring.t60 / 2.2, 2.0, 12.0)};
    }
    return {hertz, -std::clamp(standsOut(spectrum, hertz), 3.0, 9.0), 4.0};
}

std::vector<BandFit> matchBands(const Spectrum& own, const Spectrum& wanted, std::size_t most) {
    std::vector<BandFit> out;
    std::vector<double> frequency, rest;
    if (own.frequency != wanted.frequency) return out;
    for (std::size_t i = 0; i < own.frequency.size(); ++i) {
        if (own.frequency[i] < kLowest || own.frequency[i] > kHighest) continue;
        frequency.push_back(own.frequency[i]);
        rest.push_back(wanted.level[i] - own.level[i]);
    }
    if (rest.empty()) return out;
    // Only the shape counts: the level between them is a fader's affair.
    std::vector<double> sorted = rest;
    std::nth_element(sorted.begin(),
                     sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2), sorted.end());
    const double level = sorted[sorted.size() / 2];
    for (double& db : rest) db -= level;
    rest = smoothed(frequency, rest);
    for (double& db : rest) db = std::clamp(db, -kMostDb, kMostDb);
    while (out.size() < most) {
        const auto far = std::max_element(
            rest.begin(), rest.end(), [](double a, double b) { return std::abs(a) < std::abs(b); });
        if (std::abs(*far) < kLeastDb) break;
        const BandFit band{frequency[static_cast<std::size_t>(far - rest.begin())], *far, kMatchQ};
        for (std::size_t i = 0; i < rest.size(); ++i) rest[i] -= bellDb(band, frequency[i]);
        out.push_back(band);
    }
    return out;
}

double curveGainDb(const Spectrum& spectrum, std::span<const double> curveDb, double fromHertz,
                   double toHertz) {
    double before = 0.0, after = 0.0;
    for (std::size_t i = 0; i < std::min(curveDb.size(), spectrum.level.size()); ++i) {
        if (spectrum.frequency[i] < fromHertz || spectrum.frequency[i] > toHertz) continue;
        before += std::pow(10.0, spectrum.level[i] / 10.0);
        after += std::pow(10.0, (spectrum.level[i] + curveDb[i]) / 10.0);
    }
    return before > 0.0 ? 10.0 * std::log10(after / before) : 0.0;
}

}  // namespace ember
