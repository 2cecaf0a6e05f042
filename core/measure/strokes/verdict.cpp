#include "core/measure/strokes/verdict.h"

#include "core/measure/strokes/stroke_weights.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kNoAttackDb = 3.0;  // rises below are no attack

// 0..1 for low..high.
double part(double value, double low, double high) {
    return (std::clamp(value, low, high) - low) / (high - low);
}

std::vector<double> closeFeatures(const Share& s, DrumFamily family) {
    const auto rise = static_cast<double>(s.heard.riseDb);
    // A cymbal struck while it rings barely rises.
    if (family != DrumFamily::cymbal && (s.heard.frame < 0 || rise < kNoAttackDb)) return {};
    const double level = part(s.levelDb, -40.0, 0.0), need = std::clamp(s.necessity, 0.0, 1.2);
    const double attack = part(rise, -4.0, 10.0), clear = part(rise, 10.0, 25.0),
                 tail = part(s.tailDb, -10.0, 20.0);
    return {1.0,
            part(s.excessDb, -3.0, 5.0),
            part(s.excessDb, 5.0, 12.0),
            attack,
            clear,
            part(s.relativeDb, -40.0, 0.0),
            level,
            need,
            s.share,
            s.share * level,
            need * level,
            s.leads ? 1.0 : 0.0,
            tail,
            tail * attack,
            tail * clear};
}

std::vector<double> overFeatures(const Share& s) {
    const double level = part(s.levelDb, -40.0, 0.0), need = std::clamp(s.necessity, -0.1, 1.0);
    const double sustain = std::clamp(s.sustain, 0.0, 1.5);
    return {1.0,
            level,
            need,
            s.share,
            level * s.share,
            need * s.share,
            need * level,
            level * level,
            std::min(s.share, 0.2),
            s.low,
            s.sustain < 0.0 ? 1.0 : 0.0,
            sustain,
            sustain * s.low,
            s.low * s.share};
}

// In the tables of weights. Percussion is short and bright, like a snare.
std::size_t rowOf(DrumFamily family) {
    return static_cast<std::size_t>(family == DrumFamily::percussion ? DrumFamily::snare : family);
}

double weighed(const std::vector<double>& features, std::span<const double> weights) {
    double sum = 0.0;
    for (std::size_t i = 0; i < features.size(); ++i) sum += features[i] * weights[i];
    return sum;
}

}  // namespace

Heard heardHow(const KitMics& kit, int drum) {
    if (!kit.drums[static_cast<std::size_t>(drum)].mics.empty()) return Heard::close;
    const bool others = std::any_of(kit.drums.begin(), kit.drums.end(),
                                    [](const KitDrum& d) { return !d.mics.empty(); });
    const DrumFamily family = kit.drums[static_cast<std::size_t>(drum)].family;
    const bool rest = std::any_of(kit.drums.begin(), kit.drums.end(), [&](const KitDrum& d) {
        const bool more = family == DrumFamily::cymbal && d.family > DrumFamily::snare;
        return !d.mics.empty() && (d.family == family || more);
    });
    return rest ? Heard::rest : (others ? Heard::beside : Heard::whole);
}

std::vector<double> strokeFeatures(const Share& share, DrumFamily family, Heard heard) {
    return heard == Heard::close ? closeFeatures(share, family) : overFeatures(share);
}

std::span<const double> strokeWeights(DrumFamily family, Heard heard) {
    const std::size_t f = rowOf(family);
    if (heard == Heard::close) return kCloseWeights[f];
    // Nobody leaves out the kick or the snare when others have microphones.
    const bool usual =
        family != DrumFamily::kick && f != static_cast<std::size_t>(DrumFamily::snare);
    if (heard == Heard::rest) return kRestWeights[f];
    return heard == Heard::beside && usual ? kBesideWeights[f] : kWholeWeights[f];
}

double strokeLogOdds(const Share& share, DrumFamily family, Heard heard) {
    const std::vector<double> features = strokeFeatures(share, family, heard);
    return features.empty() ? -100.0 : weighed(features, strokeWeights(family, heard));
}

bool isLookedAtAgain(DrumFamily family) {
    return family != DrumFamily::hat && family != DrumFamily::cymbal;
}

std::vector<double> secondFeatures(double logOdds, double needed) {
    return {1.0, std::clamp(logOdds, -8.0, 8.0) / 8.0,
            std::clamp(std::log10(needed + 1e-3), -3.0, 3.0) / 3.0};
}

double secondLogOdds(double logOdds, double needed, DrumFamily family) {
    return weighed(secondFeatures(logOdds, needed), kSecondWeights[rowOf(family)]);
}

}  // namespace ember
