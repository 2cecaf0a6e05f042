#include "core/measure/who/one_shot.h"

#include "core/base/fft.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr int kLength = 16384;

double fallOf(std::span<const float> samples, double sampleRate) {
    const auto window = static_cast<std::size_t>(std::max(1.0, 0.01 * sampleRate));
    std::vector<double> power;
    for (std::size_t at = 0; at + window <= samples.size(); at += window) {
        double sum = 0.0;
        for (std::size_t i = at; i < at + window; ++i)
            sum += static_cast<double>(samples[i]) * samples[i];
        power.push_back(sum);
    }
    if (power.empty()) return 0.0;
    const auto peak = std::max_element(power.begin(), power.end());
    // The last time it is within 20 dB.
    auto last = peak;
    for (auto at = peak; at != power.end(); ++at) {
        if (*at > 0.01 * *peak) last = at;
    }
    return 0.01 * static_cast<double>(last - peak + 1);
}

}  // namespace

Role drumRole(Role role) {
    switch (role) {
        case Role::kickIn:
        case Role::kickOut:
        case Role::kick:
            return Role::kick;
        case Role::snareTop:
        case Role::snareBottom:
        case Role::snare:
            return Role::snare;
        case Role::hat:
        case Role::rackTom:
        case Role::floorTom:
        case Role::tom:
        case Role::ride:
        case Role::crash:
        case Role::percussion:
            return role;
        default:
            return Role::unknown;
    }
}

OneShotTraits oneShotTraits(std::span<const float> samples, double sampleRate) {
    OneShotTraits out;
    out.fallSeconds = fallOf(samples, sampleRate);
    // From where it begins, as long as the window is.
    float most = 0.0F;
    for (const float x : samples) most = std::max(most, std::abs(x));
    const auto begin = std::find_if(samples.begin(), samples.end(),
                                    [&](float x) { return std::abs(x) >= 0.05F * most; });
    if (most <= 0.0F || begin == samples.end()) return out;
    RealFft fft(kLength);
    const auto time = fft.time();
    std::fill(time.begin(), time.end(), 0.0F);
    const auto count = std::min<std::ptrdiff_t>(kLength, samples.end() - begin);
    for (std::ptrdiff_t i = 0; i < count; ++i) {
        const double fade =
            0.5 + 0.5 * std::cos(std::numbers::pi * static_cast<double>(i) / kLength);
        time[static_cast<std::size_t>(i)] = static_cast<float>(begin[i] * fade);
    }
    const auto bins = fft.forward();
    double all = 0.0, low = 0.0, body = 0.0, high = 0.0, moment = 0.0, strongest = 0.0;
    for (std::size_t k = 1; k < bins.size(); ++k) {
        const double hertz = static_cast<double>(k) * sampleRate / kLength;
        const double power = std::norm(bins[k]);
        if (hertz < 25.0) continue;
        all += power;
        moment += power * hertz;
        if (hertz < 130.0) low += power;
        if (hertz >= 130.0 && hertz < 600.0) body += power;
        if (hertz > 5000.0) high += power;
        if (hertz >= 40.0 && hertz <= 400.0 && power > strongest) {
            strongest = power;
            out.strongestHz = hertz;
        }
    }
    if (all <= 0.0) return out;
    out.lowShare = low / all;
    out.bodyShare = body / all;
    out.highShare = high / all;
    out.centroidHz = moment / all;
    return out;
}

Likely oneShotRole(const OneShotTraits& t) {
    // How far a figure is on one side of a boundary, as a factor, becomes how sure it is.
    const auto sure = [](double figure, double boundary) {
        const double octaves = std::abs(std::log2(std::max(figure, 1e-6) / boundary));
        return std::min(0.65, 0.4 + 0.25 * octaves);
    };
    if (t.centroidHz <= 0.0) return {};
    // Metal has next to nothing below.
    constexpr double kMetalHz = 1800.0, kMetalLow = 0.02, kMetalBody = 0.2;
    if (t.centroidHz > kMetalHz && t.lowShare < kMetalLow && t.bodyShare < kMetalBody) {
        constexpr double kHatFall = 0.35;
        if (t.fallSeconds < kHatFall) return {Role::hat, sure(t.fallSeconds, kHatFall)};
        // One stroke of a ride is hardly told from one of a crash.
        constexpr double kUnsure = 0.45;
        return {t.bodyShare < 0.09 ? Role::ride : Role::crash, kUnsure};
    }
    constexpr double kDeepHz = 65.0, kKickHz = 95.0, kTomFall = 0.2;
    const bool low = t.lowShare > 0.5;
    if (low && (t.strongestHz < kDeepHz || (t.strongestHz < kKickHz && t.fallSeconds < kTomFall)))
        return {Role::kick, sure(t.strongestHz, kKickHz)};
    constexpr double kSnareHz = 1200.0, kHeadHz = 130.0;
    if (t.centroidHz > kSnareHz || (t.fallSeconds < kTomFall && t.strongestHz > kHeadHz))
        return {Role::snare, t.centroidHz > kSnareHz ? sure(t.centroidHz, kSnareHz)
                                                     : sure(t.fallSeconds, kTomFall)};
    return {t.strongestHz < 100.0 ? Role::floorTom : Role::rackTom, sure(t.fallSeconds, kTomFall)};
}

}  // namespace ember
