#include "core/dsp/compressor.h"

#include "core/base/units.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

using Changes = std::vector<std::pair<std::string, double>>;

// An alternating signal has the same magnitude in every sample and no constant part.
std::vector<float> steady(double db, std::size_t frames) {
    std::vector<float> out(frames);
    for (std::size_t i = 0; i < frames; ++i)
        out[i] = static_cast<float>(gainFromDb(db)) * (i % 2 == 0 ? 1.0F : -1.0F);
    return out;
}

std::string rateName(double rate) {
    return std::to_string(static_cast<int>(rate)) + " Hz";
}

class CompressorAtRate : public testing::TestWithParam<double> {};

TEST_P(CompressorAtRate, StaticCurveMatchesTheFormula) {
    for (const double ratio : {1.5, 4.0, 20.0}) {
        for (const double knee : {0.0, 6.0, 18.0}) {
            for (const double range : {6.0, 60.0}) {
                for (double level = -40.0; level <= -1.0; level += 3.0) {
                    const double threshold = -20.0;
                    // Giannoulis, Massberg & Reiss 2012, eq. 4, less the input, limited to the
                    // range.
                    const double over = level - threshold;
                    double gain = 0.0;
                    if (2.0 * std::abs(over) <= knee && knee > 0.0)
                        gain =
                            (1.0 / ratio - 1.0) * std::pow(over + knee / 2.0, 2.0) / (2.0 * knee);
                    else if (over > 0.0)
                        gain = over / ratio - over;
                    gain = std::max(gain, -range);
                    auto c = test::make("compressor", GetParam(),
                                        {{"threshold", threshold},
                                         {"ratio", ratio},
                                         {"knee", knee},
                                         {"range", range},
                                         {"attack", 1.0},
                                         {"release", 20.0}});
                    const auto out =
                        test::run(*c, steady(level, static_cast<std::size_t>(GetParam() * 0.2)));
                    const double got =
                        dbFromGain(static_cast<double>(std::abs(out.back()))) - level;
                    test::accuracy("compressor static curve, " + rateName(GetParam()), "<= 0.1 dB",
                                   std::abs(got - gain), "dB", std::abs(got - gain) <= 0.1);
                    EXPECT_NEAR(got, gain, 0.1)
                        << "ratio " << ratio << " knee " << knee << " level " << level;
                }
            }
        }
    }
}

TEST_P(CompressorAtRate, EveryCharacterHasTheSameStaticCurve) {
    for (const double character : {1.0, 2.0}) {
        for (const double ratio : {2.0, 4.0, 20.0}) {
            for (const double attack : {0.05, 5.0}) {
                for (const double level : {-30.0, -18.0, -8.0}) {
                    auto c = test::make("compressor", GetParam(),
                                        {{"threshold", -20.0},
                                         {"ratio", ratio},
                                         {"knee", 6.0},
                                         {"attack", attack},
                                         {"release", 20.0},
                                         {"character", character}});
                    const auto out =
                        test::run(*c, steady(level, static_cast<std::size_t>(GetParam() * 0.3)));
                    const double got =
                                     dbFromGain(static_cast<double>(std::abs(out.back()))) - level,
                                 before = dbFromGain(
                                              static_cast<double>(std::abs(out[out.size() - 2]))) -
                                          level;
                    const double error =
                        std::abs(got - compressorCurve(level, -20.0, ratio, 6.0, 60.0));
                    test::accuracy("compressor static curve, smooth and crush", "<= 0.1 dB", error,
                                   "dB", error <= 0.1);
                    EXPECT_LE(error, 0.1) << character << " ratio " << ratio << " level " << level;
                    EXPECT_NEAR(got, before, 1e-3) << "it must not hunt";
                }
            }
        }
    }
}

// Frames until the reduction has covered 63.2 % of its way.
double timeConstant(const std::vector<float>& out, std::size_t from, double start, double end,
                    double inputDb) {
    for (std::size_t i = from; i < out.size(); ++i) {
        const double gain = dbFromGain(static_cast<double>(std::abs(out[i]))) - inputDb;
        if ((gain - start) / (end - start) >= 1.0 - std::exp(-1.0))
            return static_cast<double>(i - from + 1);
    }
    return -1.0;
}

TEST_P(CompressorAtRate, AttackAndReleaseCoverTheirShareInTheSetTime) {
    const double rate = GetParam();
    for (const double attack : {0.1, 1.0, 10.0, 50.0}) {
        for (const double release : {20.0, 100.0, 400.0}) {
            auto c = test::make("compressor", rate,
                                {{"threshold", -30.0},
                                 {"ratio", 4.0},
                                 {"knee", 0.0},
                                 {"attack", attack},
                                 {"release", release}});
            const auto rest = static_cast<std::size_t>(rate * 0.1),
                       loud = static_cast<std::size_t>(rate * 0.6);
            std::vector<float> in = steady(-60.0, rest);
            for (const float x : steady(-10.0, loud)) in.push_back(x);
            const std::size_t falls = in.size();
            for (const float x : steady(-60.0, static_cast<std::size_t>(rate * 2.5)))
                in.push_back(x);
            const auto out = test::run(*c, in);
            const double frames = timeConstant(out, rest, 0.0, -15.0, -10.0);
            // Errors beyond the one sample that the goal allows, as shares of the set time.
            const auto off = [&](double got, double ms) {
                return 100.0 * std::max(0.0, std::abs(got - ms * 1e-3 * rate) - 1.0) /
                       (ms * 1e-3 * rate);
            };
            test::accuracy("compressor attack, " + rateName(rate), "<= 5 %", off(frames, attack),
                           "%", off(frames, attack) <= 5.0);
            EXPECT_NEAR(frames, attack * 1e-3 * rate, std::max(1.5, 0.05 * attack * 1e-3 * rate))
                << "attack " << attack;
            const double back = timeConstant(out, falls, -15.0, 0.0, -60.0);
            test::accuracy("compressor release, " + rateName(rate), "<= 5 %", off(back, release),
                           "%", off(back, release) <= 5.0);
            EXPECT_NEAR(back, release * 1e-3 * rate, std::max(1.5, 0.05 * release * 1e-3 * rate))
                << "release " << release;
        }
    }
}

TEST_P(CompressorAtRate, TheOtherCharactersHaveTheTimesTheyPublish) {
    const double rate = GetParam();
    const auto reach = [&](double character) {
        auto c = test::make("compressor", rate,
                            {{"threshold", -30.0},
                             {"ratio", 4.0},
                             {"knee", 0.0},
                             {"attack", 20.0},
                             {"release", 100.0},
                             {"character", character}});
        const auto out = test::run(*c, steady(-10.0, static_cast<std::size_t>(rate)));
        return timeConstant(out, 0, 0.0, -15.0, -10.0) / rate * 1000.0;
    };
    EXPECT_NEAR(reach(0.0), 20.0, 1.0);
    EXPECT_NEAR(reach(1.0), 20.0 / 4.0, 0.5) << "smooth: attack by ratio";
    EXPECT_NEAR(reach(2.0), 10.0, 0.5) << "crush: half";
}

INSTANTIATE_TEST_SUITE_P(Rates, CompressorAtRate, testing::ValuesIn(test::kRates));

TEST(Compressor, LookAheadDelaysTheSoundByWhatItReports) {
    auto c = test::make("compressor", 48000.0, {{"threshold", 0.0}, {"look-ahead", 5.0}});
    EXPECT_EQ(c->latency(), 240);
    std::vector<float> in(1000, 0.0F);
    in[10] = 0.25F;
    const auto out = test::run(*c, in);
    EXPECT_FLOAT_EQ(out[250], 0.25F);
}

TEST(Compressor, MixAtZeroLeavesTheSoundAsItIs) {
    auto c =
        test::make("compressor", 48000.0, {{"threshold", -50.0}, {"mix", 0.0}, {"attack", 1.0}});
    const auto in = test::noise(0.8, 20000);
    const auto out = test::run(*c, in);
    for (std::size_t i = 0; i < in.size(); ++i) ASSERT_NEAR(out[i], in[i], 1e-6F);
}

TEST(Compressor, DetectorFilterLetsTheKickPass) {
    const auto kick = test::sine(50.0, 0.5, 24000, 48000.0);
    auto open = test::make("compressor", 48000.0, {{"threshold", -30.0}, {"attack", 1.0}});
    auto filtered = test::make("compressor", 48000.0,
                               {{"threshold", -30.0}, {"attack", 1.0}, {"key-high-pass", 500.0}});
    EXPECT_LT(test::peakDb(test::run(*open, kick), 12000), -12.0);
    EXPECT_NEAR(test::peakDb(test::run(*filtered, kick), 12000), -6.02, 0.1);
}

TEST(Compressor, RmsDetectorReadsASineThreeDecibelsLower) {
    const auto tone = test::sine(1000.0, gainFromDb(-10.0), 96000, 48000.0);
    const Changes base{
        {"threshold", -30.0}, {"ratio", 4.0}, {"knee", 0.0}, {"attack", 0.05}, {"release", 2000.0}};
    Changes rms = base;
    rms.emplace_back("detector", 1.0);
    auto a = test::make("compressor", 48000.0, base);
    auto b = test::make("compressor", 48000.0, rms);
    const double difference =
        test::peakDb(test::run(*b, tone), 90000) - test::peakDb(test::run(*a, tone), 90000);
    EXPECT_NEAR(difference, 3.01 * 0.75, 0.25);
}

TEST(Compressor, AutomaticReleaseIsFastAfterAPeakAndSlowAfterPressure) {
    const auto recovery = [](std::size_t loudFrames) {
        auto c = test::make("compressor", 48000.0,
                            {{"threshold", -30.0},
                             {"ratio", 4.0},
                             {"knee", 0.0},
                             {"attack", 0.1},
                             {"release", 60.0},
                             {"auto-release", 1.0}});
        std::vector<float> in = steady(-8.0, loudFrames);
        for (const float x : steady(-60.0, 96000)) in.push_back(x);
        const auto out = test::run(*c, in);
        for (std::size_t i = loudFrames; i < out.size(); ++i) {
            if (dbFromGain(static_cast<double>(std::abs(out[i]))) + 60.0 > -2.0)
                return static_cast<double>(i - loudFrames) / 48.0;
        }
        return 1e9;
    };
    const double peak = recovery(480), pressure = recovery(96000);
    EXPECT_LT(peak, 250.0);
    EXPECT_GT(pressure, 2.0 * peak);
}

TEST(Compressor, AnExternalKeyDrivesIt) {
    auto c = test::make("compressor", 48000.0,
                        {{"threshold", -30.0}, {"ratio", 4.0}, {"knee", 0.0}, {"attack", 0.1}});
    const auto out = test::run(*c, steady(-50.0, 9600), steady(-10.0, 9600));
    EXPECT_NEAR(dbFromGain(static_cast<double>(std::abs(out.back()))), -65.0, 0.1);
}

}  // namespace
}  // namespace ember
