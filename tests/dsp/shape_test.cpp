// Transient shaper, band dynamics (expander, de-harsher), limiter: figures against their formulas.

#include "core/base/units.h"
#include "core/dsp/band_dynamics.h"
#include "core/measure/level/levels.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

using Changes = std::vector<std::pair<std::string, double>>;

// A stroke of a drum: stick and body.
std::vector<float> stroke(double rate, double amplitude, double seconds = 0.8) {
    std::vector<float> x(static_cast<std::size_t>(seconds * rate), 0.0F);
    const auto n = test::noise(1.0, x.size(), 7);
    for (std::size_t i = static_cast<std::size_t>(0.1 * rate); i < x.size(); ++i) {
        const double t = static_cast<double>(i) / rate - 0.1;
        x[i] = static_cast<float>(
            amplitude * (0.6 * std::exp(-t / 0.15) * std::sin(2.0 * std::numbers::pi * 190.0 * t) +
                         0.4 * std::exp(-t / 0.02) * static_cast<double>(n[i])));
    }
    return x;
}

double energyDb(const std::vector<float>& x, double rate, double from, double to) {
    double sum = 1e-20;
    for (auto i = static_cast<std::size_t>(from * rate);
         i < std::min(x.size(), static_cast<std::size_t>(to * rate)); ++i)
        sum += static_cast<double>(x[i]) * static_cast<double>(x[i]);
    return 10.0 * std::log10(sum);
}

class ShapeAtRate : public testing::TestWithParam<double> {};

TEST_P(ShapeAtRate, ASoftStrokeIsShapedLikeALoudOne) {
    const double rate = GetParam();
    for (const Changes& changes : {Changes{{"attack", 9.0}}, Changes{{"sustain", -12.0}},
                                   Changes{{"attack", -6.0}, {"sustain", 6.0}}}) {
        Changes all = changes;
        all.push_back({"look-ahead", 0.0});
        const auto gain = [&](double amplitude, double from, double to) {
            const auto x = stroke(rate, amplitude);
            auto t = test::make("transient", rate, all);
            return energyDb(test::run(*t, x), rate, from, to) - energyDb(x, rate, from, to);
        };
        for (const auto& [from, to] : {std::pair{0.1, 0.12}, std::pair{0.16, 0.35}}) {
            const double apart =
                std::abs(gain(0.8, from, to) - gain(0.8 * gainFromDb(-30.0), from, to));
            test::accuracy("transient shaper: a stroke 30 dB softer, treated alike", "<= 0.5 dB",
                           apart, "dB", apart <= 0.5);
            EXPECT_LE(apart, 0.5);
        }
    }
}

TEST_P(ShapeAtRate, AttackAndSustainAreIndependent) {
    const double rate = GetParam();
    const auto x = stroke(rate, 0.5);
    const auto change = [&](const Changes& changes, double from, double to) {
        Changes all = changes;
        all.push_back({"look-ahead", 0.0});
        auto t = test::make("transient", rate, all);
        return energyDb(test::run(*t, x), rate, from, to) - energyDb(x, rate, from, to);
    };
    EXPECT_GT(change({{"attack", 9.0}}, 0.1, 0.115), 4.0);
    EXPECT_LT(std::abs(change({{"attack", 9.0}}, 0.25, 0.5)), 1.0);
    EXPECT_LT(change({{"sustain", -12.0}}, 0.3, 0.5), -5.0);
    EXPECT_LT(std::abs(change({{"sustain", -12.0}}, 0.1, 0.115)), 1.0);
    auto idle = test::make("transient", rate, {{"look-ahead", 0.0}});
    EXPECT_EQ(test::run(*idle, x), x);
}

TEST_P(ShapeAtRate, BandDynamicsFollowTheirStaticCurves) {
    const double rate = GetParam();
    for (const double mode : {0.0, 1.0, 2.0}) {
        for (const double level : {-50.0, -36.0, -30.0, -24.0, -14.0}) {
            auto b = test::make("expander", rate,
                                {{"mode", mode},
                                 {"threshold", -30.0},
                                 {"ratio", 2.0},
                                 {"range", 14.0},
                                 {"attack", 1.0},
                                 {"hold", 0.0},
                                 {"release", 10.0}});
            std::vector<float> x(static_cast<std::size_t>(rate));
            for (std::size_t i = 0; i < x.size(); ++i)
                x[i] = static_cast<float>(gainFromDb(level)) * (i % 2 == 0 ? 1.0F : -1.0F);
            const auto y = test::run(*b, x);
            const double gain =
                             dbFromGain(static_cast<double>(std::abs(y[y.size() - 100]))) - level,
                         should = bandCurve(static_cast<BandMode>(std::lround(mode)), level, -30.0,
                                            2.0, 14.0);
            const double error = std::abs(gain - should);
            test::accuracy("band dynamics: static curve", "<= 0.2 dB", error, "dB", error <= 0.2);
            EXPECT_LE(error, 0.2) << mode << " at " << level;
        }
    }
}

TEST_P(ShapeAtRate, IdleBandDynamicsAreNotThere) {
    const double rate = GetParam();
    const auto x = test::noise(0.1, static_cast<std::size_t>(rate), 3);
    auto press = test::make("de-harsher", rate, {{"threshold", 0.0}});
    EXPECT_EQ(test::run(*press, x), x);
    test::accuracy("band dynamics: idle, difference to the input", "<= 0.05 dB", 0.0, "dB", true);
}

TEST_P(ShapeAtRate, TheExpanderInTheTrebleLeavesTheBodyAlone) {
    const double rate = GetParam();
    auto e = test::make("expander", rate,
                        {{"threshold", -20.0}, {"ratio", 4.0}, {"range", 10.0}, {"from", 4000.0}});
    // A low note and soft treble bleed: only the treble falls.
    const auto low = test::sine(180.0, 0.3, static_cast<std::size_t>(rate), rate),
               high = test::sine(9000.0, 0.02, low.size(), rate);
    std::vector<float> x = low;
    for (std::size_t i = 0; i < x.size(); ++i) x[i] += high[i];
    const auto y = test::run(*e, x);
    // A shelf of -10 dB from 4 kHz, at 9 kHz: (1 + g^2 W^4) / (1 + W^4).
    EXPECT_NEAR(test::peakAboveDb(y, 6000.0, rate) - test::peakAboveDb(x, 6000.0, rate), -8.9, 0.4);
    double difference = 0.0;
    for (std::size_t i = x.size() / 2; i < x.size(); ++i)
        difference = std::max(difference, std::abs(static_cast<double>(y[i] - x[i])));
    EXPECT_LT(difference, 0.03);
}

TEST_P(ShapeAtRate, TheLimiterNeverLetsATruePeakThrough) {
    const double rate = GetParam();
    std::vector<std::pair<std::string, std::vector<float>>> material;
    if (rate == 48000.0) {
        const demo::Recording& r = test::shortRecording();
        for (const demo::MicTrack& t : r.mics) material.emplace_back(t.id, t.signal);
    }
    material.emplace_back("stroke", stroke(rate, 1.0));
    material.emplace_back("noise", test::noise(0.9, static_cast<std::size_t>(rate), 5));
    // A sine whose crests lie between the samples.
    std::vector<float> between(static_cast<std::size_t>(rate));
    for (std::size_t i = 0; i < between.size(); ++i)
        between[i] =
            static_cast<float>(0.95 * std::sin(0.5 * std::numbers::pi * static_cast<double>(i) +
                                               0.25 * std::numbers::pi));
    material.emplace_back("between the samples", between);
    for (const auto& [name, x] : material) {
        for (const double release : {5.0, 80.0}) {
            auto l = test::make("limiter", rate,
                                {{"drive", 18.0}, {"ceiling", -3.0}, {"release", release}});
            const auto y = test::run(*l, x);
            const std::vector<std::span<const float>> one{y};
            const double over = measureLevels(one, rate).truePeak + 3.0;
            test::accuracy("limiter: true peak above its ceiling", "<= 0.1 dB", over, "dB",
                           over <= 0.1);
            EXPECT_LE(over, 0.1) << name;
        }
    }
}

TEST_P(ShapeAtRate, ALimiterWithNothingToDoIsAPureDelay) {
    const double rate = GetParam();
    const auto x = test::noise(0.1, 20000, 9);
    auto l = test::make("limiter", rate);
    const auto y = test::run(*l, x);
    const auto late = static_cast<std::size_t>(l->latency());
    for (std::size_t i = 0; i + late < y.size() - kBlock; ++i)
        ASSERT_NEAR(y[i + late], x[i], 2e-7F) << i;
}

INSTANTIATE_TEST_SUITE_P(Rates, ShapeAtRate, testing::ValuesIn(test::kRates));

}  // namespace
}  // namespace ember
