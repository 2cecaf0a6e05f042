#include "core/measure/strokes/kinds.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kFlamSeconds = 0.045;
constexpr double kGhostDb = 12.0, kAccentDb = 3.0;
constexpr double kAccentVelocity = 0.9, kLevelExponent = 1.45;

// The boundary between two groups of levels (Otsu, IEEE Trans. SMC 9(1), 1979), or `otherwise`
// when they are less than 2 dB apart.
double boundary(std::vector<double> levels, double otherwise) {
    std::sort(levels.begin(), levels.end());
    const auto n = static_cast<double>(levels.size());
    double total = 0.0;
    for (const double v : levels) total += v;
    double below = 0.0, best = 0.0, where = otherwise, apart = 0.0;
    for (std::size_t i = 1; i < levels.size(); ++i) {
        below += levels[i - 1];
        const auto k = static_cast<double>(i);
        const double low = below / k, high = (total - below) / (n - k);
        const double between = k * (n - k) * (high - low) * (high - low);
        if (between > best) {
            best = between;
            apart = high - low;
            where = 0.5 * (levels[i - 1] + levels[i]);
        }
    }
    return apart >= 2.0 ? where : otherwise;
}

}  // namespace

double velocityFromLevel(double levelDb) {
    return std::clamp(kAccentVelocity * std::pow(10.0, levelDb / (20.0 * kLevelExponent)), 0.0,
                      1.0);
}

double levelFromVelocity(double velocity) {
    return 20.0 * kLevelExponent * std::log10(std::max(velocity, 0.01) / kAccentVelocity);
}

StrokeKind kindByLevel(double levelDb) {
    return levelDb <= -kGhostDb    ? StrokeKind::ghost
           : levelDb >= -kAccentDb ? StrokeKind::accent
                                   : StrokeKind::normal;
}

double accentLevel(std::vector<double> levels) {
    if (levels.empty()) return 0.0;
    std::sort(levels.begin(), levels.end());
    const double loud = levels[levels.size() - 1 - levels.size() / 10];
    std::erase_if(levels, [&](double v) { return v < loud - kGhostDb; });
    return levels[(levels.size() - 1) * 4 / 5];
}

void sortIntoKinds(std::vector<Stroke*>& strokes) {
    std::vector<double> levels;
    levels.reserve(strokes.size());
    for (const Stroke* s : strokes) levels.push_back(s->levelDb);
    const double accents = accentLevel(levels);
    std::vector<double> full;
    std::vector<bool> grace(strokes.size(), false);
    for (std::size_t i = 0; i < strokes.size(); ++i) {
        grace[i] = i + 1 < strokes.size() &&
                   strokes[i + 1]->time - strokes[i]->time <= kFlamSeconds &&
                   strokes[i + 1]->levelDb > strokes[i]->levelDb;
        if (!grace[i] && strokes[i]->levelDb > accents - kGhostDb)
            full.push_back(strokes[i]->levelDb);
    }
    const double split = boundary(std::move(full), accents - kAccentDb);
    for (std::size_t i = 0; i < strokes.size(); ++i) {
        Stroke& s = *strokes[i];
        s.kind = grace[i]                          ? StrokeKind::flam
                 : s.levelDb <= accents - kGhostDb ? StrokeKind::ghost
                 : s.levelDb >= split              ? StrokeKind::accent
                                                   : StrokeKind::normal;
    }
}

}  // namespace ember
