#include "tests/support/made_up.h"

#include <algorithm>
#include <cmath>

namespace ember::test {

std::vector<float> madeUpDrum(Random& random, int kind) {
    double hertz = 0.0, glide = 0.0, tone = 1.0, rings = 0.1, noise = 0.0, hiss = 0.05, from = 0.0;
    switch (kind % 5) {
        case 0:
            hertz = random.uniform(42, 70), glide = random.uniform(1, 4);
            rings = random.uniform(0.08, 0.3), noise = random.uniform(0, 0.2), hiss = 0.01;
            break;
        case 1:
            hertz = random.uniform(150, 260), rings = random.uniform(0.03, 0.12);
            noise = random.uniform(0.3, 1), hiss = random.uniform(0.04, 0.15);
            from = random.uniform(50, 800);
            break;
        case 2:
            tone = 0, noise = 1, hiss = random.uniform(0.02, 0.1), from = random.uniform(3e3, 8e3);
            break;
        case 3:
            hertz = random.uniform(70, 180), rings = random.uniform(0.1, 0.5);
            noise = random.uniform(0, 0.15), hiss = 0.02;
            break;
        default:
            tone = 0, noise = 1, hiss = random.uniform(0.2, 0.5), from = random.uniform(500, 3e3);
    }
    std::vector<float> out(28800);
    const double a = std::exp(-2.0 * M_PI * from / kMadeUpRate);
    double phase = random.uniform(0, 6.28), x1 = 0.0, y1 = 0.0;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double t = static_cast<double>(i) / kMadeUpRate;
        phase += 2.0 * M_PI * hertz * (1.0 + glide * std::exp(-t / 0.02)) / kMadeUpRate;
        const double x = noise * static_cast<double>(random.noise()) * std::exp(-t / hiss);
        y1 = from > 0.0 ? a * (y1 + x - x1) : x;
        x1 = x;
        const double rise = std::min(1.0, static_cast<double>(i) / 24.0);
        out[i] =
            static_cast<float>(0.5 * rise * (tone * std::sin(phase) * std::exp(-t / rings) + y1));
    }
    return out;
}

std::vector<float> later(const std::vector<float>& x, double by, std::size_t frames) {
    std::vector<float> out(frames);
    for (std::size_t i = 0; i < frames; ++i) {
        const double place = static_cast<double>(i) - by;
        const auto whole = static_cast<long>(std::floor(place));
        double sum = 0.0;
        for (long j = whole - 31; j <= whole + 32; ++j) {
            if (j < 0 || j >= std::ssize(x)) continue;
            const double u = place - static_cast<double>(j);
            const double window = 0.5 + 0.5 * std::cos(M_PI * u / 33.0);
            const double sinc = std::abs(u) < 1e-9 ? 1.0 : std::sin(M_PI * u) / (M_PI * u);
            sum += static_cast<double>(x[static_cast<std::size_t>(j)]) * window * sinc;
        }
        out[i] = static_cast<float>(sum);
    }
    return out;
}

std::vector<float> duller(std::vector<float> x, double hertz) {
    const double a = 1.0 - std::exp(-2.0 * M_PI * hertz / kMadeUpRate);
    double y = 0.0;
    for (float& s : x) s = static_cast<float>(y += a * (static_cast<double>(s) - y));
    return x;
}

std::vector<float> higher(const std::vector<float>& x, double semitones) {
    const double step = std::exp2(semitones / 12.0);
    std::vector<float> out(static_cast<std::size_t>(static_cast<double>(x.size()) / step));
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double place = static_cast<double>(i) * step;
        const auto whole = static_cast<long>(std::floor(place));
        double sum = 0.0;
        for (long j = whole - 15; j <= whole + 16; ++j) {
            if (j < 0 || j >= std::ssize(x)) continue;
            const double u = (place - static_cast<double>(j)) / std::max(1.0, step);
            const double window =
                0.5 + 0.5 * std::cos(M_PI * (place - static_cast<double>(j)) / 17.0);
            const double sinc = std::abs(u) < 1e-9 ? 1.0 : std::sin(M_PI * u) / (M_PI * u);
            sum += static_cast<double>(x[static_cast<std::size_t>(j)]) * window * sinc /
                   std::max(1.0, step);
        }
        out[i] = static_cast<float>(sum);
    }
    return out;
}

std::vector<float> shelved(std::vector<float> x, double hertz, double db) {
    const double a = 1.0 - std::exp(-2.0 * M_PI * hertz / kMadeUpRate),
                 gain = std::pow(10.0, db / 20.0);
    double low = 0.0;
    for (float& s : x) {
        low += a * (static_cast<double>(s) - low);
        s = static_cast<float>(low + gain * (static_cast<double>(s) - low));
    }
    return x;
}

}  // namespace ember::test
