#include "core/measure/strokes/clear_strokes.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kCompany = 0.015, kWeakDb = -10.0;

}  // namespace

std::vector<ClearStroke> clearStrokes(const KitStrokes& all, const std::string& drum,
                                      std::size_t most, std::size_t few) {
    std::vector<ClearStroke> alone, any;
    for (std::size_t i = 0; i < all.strokes.size(); ++i) {
        const Stroke& s = all.strokes[i];
        if (s.drum != drum || s.levelDb < kWeakDb || s.kind == StrokeKind::flam) continue;
        bool company = false;
        double next = 4.0;
        for (std::size_t k = i; k-- > 0 && s.time - all.strokes[k].time < kCompany;)
            company = company || all.strokes[k].drum != drum;
        for (std::size_t k = i + 1; k < all.strokes.size(); ++k) {
            if (all.strokes[k].time - s.time >= kCompany) {
                next = all.strokes[k].time - s.time;
                break;
            }
            company = company || all.strokes[k].drum != drum;
        }
        any.push_back({s, next});
        if (!company) alone.push_back({s, next});
    }
    std::vector<ClearStroke>& from = alone.size() >= few ? alone : any;
    if (from.size() <= most) return from;
    std::vector<ClearStroke> spread;
    for (std::size_t i = 0; i < most; ++i) spread.push_back(from[i * from.size() / most]);
    return spread;
}

int micIndex(const KitMics& kit, const std::string& id) {
    for (std::size_t m = 0; m < kit.mics.size(); ++m) {
        if (kit.mics[m].id == id) return static_cast<int>(m);
    }
    return -1;
}

int timingMic(const KitMics& kit, const KitDrum& drum) {
    if (!drum.mics.empty()) return drum.mics.front();
    for (const Role role : {Role::overhead, Role::kit, Role::room, Role::unknown}) {
        for (std::size_t m = 0; m < kit.mics.size(); ++m) {
            if (kit.mics[m].role == role) return static_cast<int>(m);
        }
    }
    return -1;
}

std::size_t louderChannel(const KitMics& kit, int mic, const std::vector<ClearStroke>& strokes) {
    const MicSignal& signal = kit.mics[static_cast<std::size_t>(mic)];
    std::size_t best = 0;
    double most = -1.0;
    for (std::size_t c = 0; c < signal.channels.size(); ++c) {
        double energy = 0.0;
        for (const ClearStroke& s : strokes) {
            const auto at = static_cast<Frames>(s.stroke.time * kit.sampleRate);
            for (Frames i = at; i < at + static_cast<Frames>(0.02 * kit.sampleRate); ++i) {
                const auto v = static_cast<double>(signal.at(c, i));
                energy += v * v;
            }
        }
        if (energy > most) {
            most = energy;
            best = c;
        }
    }
    return best;
}

}  // namespace ember
