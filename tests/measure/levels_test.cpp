// What is measured of a whole signal.

#include "core/measure/level/levels.h"

#include "tests/support/support.h"

#include <cmath>
#include <numbers>

namespace ember {
namespace {

std::vector<float> mixed(std::vector<float> a, const std::vector<float>& b) {
    for (std::size_t i = 0; i < a.size(); ++i) a[i] += b[i];
    return a;
}

// A struck low head: 55 Hz dying away within half a second, twice a second.
std::vector<float> strokes(double rate, double seconds) {
    std::vector<float> x(static_cast<std::size_t>(seconds * rate));
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double t = std::fmod(static_cast<double>(i) / rate, 0.5);
        x[i] = static_cast<float>(0.5 * std::exp(-14.0 * t) *
                                  std::sin(2.0 * std::numbers::pi * 55.0 * t));
    }
    return x;
}

TEST(Rumble, IsWhatLiesUnderTheDrumsWhileNothingIsStruck) {
    for (const double rate : test::kRates) {
        const auto frames = static_cast<std::size_t>(20.0 * rate);
        const std::vector<float> clean = strokes(rate, 20.0);
        EXPECT_LT(measureRumble(clean, rate), -40.0) << "a low drum is none";
        // Its level against that of everything, whatever else sounds.
        double power = 0.0;
        for (const float v : clean) power += static_cast<double>(v) * static_cast<double>(v);
        const double amplitude = 0.02, mean = power / static_cast<double>(frames),
                     share = 0.5 * amplitude * amplitude;
        const double heard =
            measureRumble(mixed(clean, test::sine(12.0, amplitude, frames, rate)), rate);
        // Two filters of second order with their corner at 20 Hz take 1 dB off 12 Hz.
        EXPECT_NEAR(heard, 10.0 * std::log10(share / (mean + share)) - 1.0, 1.5) << rate;
        EXPECT_LT(measureRumble(mixed(clean, test::sine(110.0, amplitude, frames, rate)), rate),
                  heard - 20.0)
            << "what sounds above is none";
    }
}

TEST(Rumble, OfSilenceIsNone) {
    EXPECT_EQ(measureRumble({}, 48000.0), -150.0);
    EXPECT_EQ(measureRumble(std::vector<float>(48000, 0.0F), 48000.0), -150.0);
}

}  // namespace
}  // namespace ember
