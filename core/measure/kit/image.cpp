#include "core/measure/kit/image.h"

#include "core/measure/strokes/clear_strokes.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kWindow = 0.020;  // seconds of a stroke; later the room answers from everywhere
constexpr double kLeadIn = 0.002;

const MicSignal* pairOf(const KitMics& kit) {
    for (const Role role : {Role::overhead, Role::kit, Role::room}) {
        for (const MicSignal& mic : kit.mics) {
            if (mic.role == role && mic.channels.size() == 2) return &mic;
        }
    }
    return nullptr;
}

// Energy that a stroke adds to a side: what was there before is taken off.
double added(const MicSignal& mic, std::size_t channel, double rate, double time) {
    const auto energy = [&](double from, double seconds) {
        double sum = 0.0;
        const auto a = static_cast<Frames>(from * rate),
                   b = static_cast<Frames>((from + seconds) * rate);
        for (Frames i = a; i < b; ++i) {
            const double v = mic.at(channel, i);
            sum += v * v;
        }
        return sum;
    };
    return std::max(0.0, energy(time - kLeadIn, kWindow + kLeadIn) -
                             energy(time - 2.0 * kLeadIn - kWindow, kWindow + kLeadIn));
}

}  // namespace

std::vector<DrumImage> measureImage(const KitMics& kit, const KitStrokes& all) {
    std::vector<DrumImage> out;
    const MicSignal* pair = pairOf(kit);
    if (pair == nullptr) return out;
    for (const KitDrum& drum : kit.drums) {
        std::vector<double> pans;
        for (const ClearStroke& c : clearStrokes(all, drum.id)) {
            const double left = added(*pair, 0, kit.sampleRate, c.stroke.time),
                         right = added(*pair, 1, kit.sampleRate, c.stroke.time);
            if (left + right <= 0.0) continue;
            pans.push_back(std::atan2(std::sqrt(right), std::sqrt(left)) * 4.0 / std::numbers::pi -
                           1.0);
        }
        if (pans.empty()) continue;
        std::sort(pans.begin(), pans.end());
        const auto at = [&](double part) {
            return pans[static_cast<std::size_t>(part * static_cast<double>(pans.size() - 1))];
        };
        out.push_back({drum.id, pair->id, at(0.5), 0.5 * (at(0.75) - at(0.25)),
                       static_cast<int>(pans.size())});
    }
    return out;
}

}  // namespace ember
