// Saturation, clipper, exciter, crusher: aliases, exact ways around, loudness, curves.

#include "core/base/fft.h"
#include "core/base/units.h"
#include "core/dsp/clipper.h"
#include "core/dsp/fast_math.h"
#include "core/dsp/oversampler.h"
#include "core/dsp/saturation.h"
#include "core/measure/level/levels.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using Changes = std::vector<std::pair<std::string, double>>;

bool isPrime(int n) {
    for (int d = 2; d * d <= n; ++d) {
        if (n % d == 0) return false;
    }
    return n > 1;
}

// The loudest product up to 20 kHz that is no harmonic of the sine, against it (dB). The sine sits
// on the prime bin nearest to 3 kHz, so that no alias hides under a harmonic.
double aliasDb(const std::string& type, const Changes& changes, double rate, double amplitude) {
    constexpr int kLength = 32768;
    int bin = static_cast<int>(3000.0 / rate * kLength);
    while (!isPrime(bin)) ++bin;
    const auto x = test::sine(bin * rate / kLength, amplitude, 4 * kLength, rate);
    auto processor = test::make(type, rate, changes);
    const auto y = test::run(*processor, x);
    RealFft fft(kLength);
    std::copy_n(y.end() - kLength - 256, kLength, fft.time().begin());
    const auto spectrum = fft.forward();
    const double top = std::norm(spectrum[static_cast<std::size_t>(bin)]);
    double worst = 0.0;
    for (int k = 1; k < static_cast<int>(std::min(20000.0, 0.45 * rate) / rate * kLength); ++k) {
        if (k % bin != 0)
            worst = std::max(worst,
                             static_cast<double>(std::norm(spectrum[static_cast<std::size_t>(k)])));
    }
    return 10.0 * std::log10(worst / top);
}

// Largest difference between a processor's output and its input delayed by its latency, dB.
double nullDb(const std::string& type, const Changes& changes, double rate, double highest) {
    std::vector<float> x(48000, 0.0F);
    for (const double hertz : {50.0, 997.0, 0.2 * rate, highest}) {
        const auto s = test::sine(hertz, 0.1, x.size(), rate);
        for (std::size_t i = 0; i < x.size(); ++i) x[i] += s[i];
    }
    auto processor = test::make(type, rate, changes);
    const auto y = test::run(*processor, x);
    const auto late = static_cast<std::size_t>(processor->latency());
    float worst = 0.0F;
    for (std::size_t i = 4096; i + late < y.size() - 64; ++i)
        worst = std::max(worst, std::abs(y[i + late] - x[i]));
    return dbFromGain(static_cast<double>(worst));
}

class ColourAtRate : public testing::TestWithParam<double> {};

TEST_P(ColourAtRate, AliasesStayFarUnderAStrongSine) {
    const double rate = GetParam();
    // 18 dB into the curve.
    for (const double curve : {0.0, 1.0, 2.0, 3.0}) {
        const double db = aliasDb(
            "saturation", {{"drive", 24.02}, {"curve", curve}, {"match-level", 0.0}}, rate, 0.5);
        test::accuracy("saturation: aliases of 3 kHz, 18 dB into the curve", "<= -90 dB", db, "dB",
                       db <= -90.0);
        EXPECT_LE(db, -90.0) << "curve " << curve;
    }
    const double even =
        aliasDb("saturation", {{"drive", 24.02}, {"even", 60.0}, {"match-level", 0.0}}, rate, 0.5);
    EXPECT_LE(even, -90.0);
    const double soft = aliasDb("clipper", {{"ceiling", -18.0}, {"bend", 60.0}}, rate, 1.0),
                 hard = aliasDb("clipper", {{"ceiling", -18.0}}, rate, 1.0),
                 excited =
                     aliasDb("exciter", {{"highs", 100.0}, {"high-corner", 1000.0}, {"push", 24.0}},
                             rate, 0.5);
    test::accuracy("clipper, round: aliases of 3 kHz, 18 dB in", "<= -90 dB", soft, "dB",
                   soft <= -90.0);
    test::accuracy("clipper, corner: aliases of 3 kHz, 18 dB in", "<= -75 dB", hard, "dB",
                   hard <= -75.0);
    test::accuracy("exciter: aliases of 3 kHz, 18 dB in", "<= -90 dB", excited, "dB",
                   excited <= -90.0);
    EXPECT_LE(soft, -90.0);
    EXPECT_LE(hard, -75.0);
    EXPECT_LE(excited, -90.0);
}

TEST_P(ColourAtRate, WithoutEffectTheyAreAPureDelay) {
    const double rate = GetParam(), highest = 0.44 * rate;
    const double clipper = nullDb("clipper", {{"ceiling", 0.0}}, rate, highest),
                 exciter = nullDb("exciter", {}, rate, highest),
                 mixed = nullDb("saturation", {{"mix", 0.0}}, rate, highest);
    test::accuracy("oversampled path without effect nulls, to 0.44 fs", "<= -120 dB", clipper, "dB",
                   clipper <= -120.0);
    EXPECT_LE(clipper, -120.0);
    EXPECT_LE(exciter, -140.0);
    EXPECT_LE(mixed, -140.0);
    EXPECT_LE(nullDb("crusher", {{"bits", 24.0}, {"rate", 48000.0}}, rate, highest), -140.0);
}

TEST_P(ColourAtRate, SaturationKeepsTheLoudnessOfDrums) {
    const double rate = GetParam();
    if (rate != 48000.0) return;  // the recording's rate; the match works on powers, not on rates
    const demo::Recording& r = test::shortRecording();
    for (const char* mic : {"kick-in", "snare-top", "overhead-l"}) {
        const auto at = std::find_if(r.mics.begin(), r.mics.end(),
                                     [&](const demo::MicTrack& t) { return t.id == mic; });
        ASSERT_NE(at, r.mics.end()) << mic;
        const auto loudness = [&](const std::vector<float>& x) {
            const std::vector<std::span<const float>> one{x};
            return measureLevels(one, rate).integrated;
        };
        const double before = loudness(at->signal);
        for (const double curve : {0.0, 1.0, 2.0, 3.0}) {
            auto s = test::make("saturation", rate, {{"drive", 18.0}, {"curve", curve}});
            const double change = std::abs(loudness(test::run(*s, at->signal)) - before);
            test::accuracy("saturation: loudness kept on drums, 18 dB of drive", "<= 0.5 LU",
                           change, "LU", change <= 0.5);
            EXPECT_LE(change, 0.5) << mic << " curve " << curve;
        }
    }
}

INSTANTIATE_TEST_SUITE_P(Rates, ColourAtRate, testing::ValuesIn(test::kRates));

TEST(Oversampler, IsFlatAndLateByAWholeNumberOfFrames) {
    Oversampler sampler(1);
    std::vector<float> out;
    for (int block = 0; block < 40; ++block) {
        std::vector<float> x(kBlock, 0.0F);
        if (block == 0) x[3] = 1.0F;
        const auto fast = sampler.up(0, x.data(), kBlock);
        EXPECT_EQ(fast.size(), static_cast<std::size_t>(Oversampler::kFactor * kBlock));
        sampler.down(0, x.data(), kBlock);
        out.insert(out.end(), x.begin(), x.end());
    }
    const auto top = std::max_element(out.begin(), out.end()) - out.begin();
    EXPECT_EQ(top, 3 + sampler.latency());
    // The impulse is symmetric: linear phase.
    for (int i = 1; i < sampler.latency(); ++i)
        EXPECT_NEAR(out[static_cast<std::size_t>(top + i)], out[static_cast<std::size_t>(top - i)],
                    1e-6F);
    RealFft fft(4096);
    std::fill(fft.time().begin(), fft.time().end(), 0.0F);
    std::copy_n(out.begin(), std::min<std::size_t>(out.size(), 4096), fft.time().begin());
    const auto response = fft.forward();
    for (int k = 0; k < static_cast<int>(0.45 * 4096); ++k)
        EXPECT_NEAR(std::abs(response[static_cast<std::size_t>(k)]), 1.0F, 4e-6F) << k;
}

TEST(Saturation, CurvesAreOddLimitedAndOfSlopeOne) {
    for (const auto curve : {SaturationCurve::warm, SaturationCurve::round, SaturationCurve::tape,
                             SaturationCurve::firm}) {
        EXPECT_NEAR(saturate(curve, 1e-4) / 1e-4, 1.0, 1e-4);
        double last = -2.0;
        for (double x = -6.0; x <= 6.0; x += 0.1) {
            const double y = saturate(curve, x);
            EXPECT_NEAR(y, -saturate(curve, -x), 2e-7);
            EXPECT_LE(std::abs(y), 1.0 + 2e-7);
            EXPECT_GE(y, last - 2e-7);
            last = y;
        }
    }
}

TEST(FastMath, TanhAndArctangentKeepTheirPrecision) {
    for (double x = -20.0; x <= 20.0; x += 0.0037) {
        EXPECT_NEAR(fastTanh(static_cast<float>(x)), std::tanh(x), 4e-7) << x;
        EXPECT_NEAR(fastAtan(static_cast<float>(x)), std::atan(x), 3e-7) << x;
    }
}

TEST(Saturation, EvenHarmonicsComeFromTheBias) {
    const auto harmonic = [](double even, int order) {
        auto s = test::make("saturation", 48000.0, {{"drive", 12.0}, {"even", even}});
        const auto y = test::run(*s, test::sine(375.0, 0.25, 48000, 48000.0));
        RealFft fft(16384);
        std::copy_n(y.end() - 16384, 16384, fft.time().begin());
        return static_cast<double>(std::abs(fft.forward()[static_cast<std::size_t>(128 * order)]));
    };
    EXPECT_LT(harmonic(0.0, 2), 1e-3 * harmonic(0.0, 3));
    EXPECT_GT(harmonic(70.0, 2), harmonic(70.0, 3));
    EXPECT_LT(harmonic(70.0, 0), 1e-2 * harmonic(70.0, 1)) << "no direct voltage is left";
}

TEST(Saturation, OnlyItsBandIsBent) {
    // Bent above 2 kHz only: a low sine passes as it is.
    auto s = test::make("saturation", 48000.0,
                        {{"drive", 24.0}, {"from", 6000.0}, {"match-level", 0.0}});
    const auto x = test::sine(60.0, 0.5, 48000, 48000.0);
    const auto y = test::run(*s, x);
    EXPECT_LE(test::peakAboveDb(y, 1000.0, 48000.0), -85.0);
    EXPECT_NEAR(test::peakDb(y, 24000), test::peakDb(x, 24000), 0.05);
}

TEST(Clipper, HoldsItsCeilingAndItsIntegralIsThatOfItsLoss) {
    for (const double bend : {0.0, 0.3, 1.0}) {
        for (double x = -3.0; x < 3.0; x += 0.07) {
            const double y = x + clipLoss(x, 0.5, bend);
            EXPECT_LE(std::abs(y), 0.5 + 1e-12);
            const double h = 1e-5;
            EXPECT_NEAR((clipLossIntegral(x + h, 0.5, bend) - clipLossIntegral(x - h, 0.5, bend)) /
                            (2.0 * h),
                        clipLoss(x, 0.5, bend), 1e-4);
        }
    }
    auto c = test::make("clipper", 48000.0, {{"ceiling", -6.0}});
    const auto y = test::run(*c, test::sine(200.0, 1.0, 24000, 48000.0));
    EXPECT_NEAR(test::peakDb(y, 2000), -6.0, 0.25) << "but for the ripple of band limiting";
}

TEST(Crusher, StepsAreAsManyAsItsBitsSay) {
    auto c = test::make("crusher", 48000.0, {{"bits", 4.0}});
    std::vector<float> y = test::run(*c, test::sine(100.0, 0.99, 48000, 48000.0));
    std::sort(y.begin(), y.end());
    y.erase(std::unique(y.begin(), y.end()), y.end());
    EXPECT_EQ(y.size(), 17U);
    auto slow = test::make("crusher", 48000.0, {{"bits", 24.0}, {"rate", 6000.0}});
    const auto z = test::run(*slow, test::sine(100.0, 0.9, 4800, 48000.0));
    int changes = 0;
    for (std::size_t i = 1; i < z.size(); ++i) changes += z[i] != z[i - 1] ? 1 : 0;
    EXPECT_NEAR(changes, 600, 4);
}

}  // namespace
}  // namespace ember
