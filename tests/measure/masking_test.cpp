// Who is heard among others: the published slopes, and made-up mixes with members that are buried
// and such that are not.
#include "core/measure/level/masking.h"

#include "core/base/units.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kMaskRate = 48000.0;

// Noise in a band, by four one-pole filters either way, at an RMS.
std::vector<float> bandNoise(double hertz, double rms, std::size_t frames, std::uint64_t seed) {
    std::vector<float> x = test::noise(1.0, frames, seed);
    const double share = 1.0 - std::exp(-2.0 * std::numbers::pi * hertz / kMaskRate);
    for (int pass = 0; pass < 4; ++pass) {
        double low = 0.0;
        for (float& v : x) {
            low += share * (static_cast<double>(v) - low);
            v = static_cast<float>(pass % 2 == 0 ? low : static_cast<double>(v) - low);
        }
    }
    double power = 0.0;
    for (const float v : x) power += static_cast<double>(v) * static_cast<double>(v);
    const auto gain = static_cast<float>(rms / std::sqrt(power / static_cast<double>(frames)));
    for (float& v : x) v *= gain;
    return x;
}

double dbAt(const EarFrames& frames, int band, int frame = 5) {
    return 10.0 * std::log10(static_cast<double>(frames.at(frame)[static_cast<std::size_t>(band)]) +
                             1e-20);
}

int bandOf(double hertz) {
    int best = 0;
    for (int b = 0; b < kEarBands; ++b) {
        if (std::abs(earBandHertz(b) - hertz) < std::abs(earBandHertz(best) - hertz)) best = b;
    }
    return best;
}

TEST(Masking, MeasuresPowersWhereTheyAre) {
    for (const double hertz : {100.0, 1000.0, 8000.0}) {
        const EarFrames f = earFrames(test::sine(hertz, 0.5, 48000, kMaskRate), kMaskRate);
        double sum = 0.0;
        for (const float v : f.at(5)) sum += static_cast<double>(v);
        EXPECT_NEAR(10.0 * std::log10(sum), 10.0 * std::log10(0.125), 0.3) << hertz;
        const auto most = std::max_element(f.at(5).begin(), f.at(5).end()) - f.at(5).begin();
        EXPECT_NEAR(std::log2(earBandHertz(static_cast<int>(most)) / hertz), 0.0,
                    hertz < 200.0 ? 0.5 : 0.2)
            << hertz;
    }
    EXPECT_NEAR(earFrames(test::noise(0.1, 96000), 96000.0).hopSeconds, 2048.0 / 96000.0, 1e-9);
}

TEST(Masking, SpreadsSteeplyDownAndSlowlyUp) {
    const EarFrames t =
        maskedThreshold(earFrames(test::sine(1000.0, 0.5, 48000, kMaskRate), kMaskRate));
    const int middle = bandOf(1000.0);
    const double here = dbAt(t, middle);
    // Schroeder's curve: some 25 dB a Bark down, some 10 dB a Bark up.
    EXPECT_LT(dbAt(t, middle - 8) - here, -25.0);
    EXPECT_GT(dbAt(t, middle + 8) - here, dbAt(t, middle - 8) - here + 8.0);
    // White noise is masked 5.5 dB under itself.
    const EarFrames white = earFrames(test::noise(0.3, 48000, 5), kMaskRate),
                    under = maskedThreshold(white);
    double mean = 0.0;
    for (int b = 8; b < 40; ++b) mean += (dbAt(under, b) - dbAt(white, b)) / 32.0;
    EXPECT_NEAR(mean, -5.5, 2.5);
}

TEST(Masking, LingersBehindAMasker) {
    std::vector<float> x = test::noise(0.5, 48000, 2);
    std::fill(x.begin() + 24000, x.end(), 0.0F);
    const EarFrames t = maskedThreshold(earFrames(x, kMaskRate));
    const int end = static_cast<int>(24000.0 / kMaskRate / t.hopSeconds);
    const double at = dbAt(t, 20, end - 2);
    EXPECT_NEAR(dbAt(t, 20, end + 3) - at, -10.0 * 4.0 * t.hopSeconds / 0.046, 8.0);
    EXPECT_LT(dbAt(t, 20, end + 12), at - 40.0);
}

// Forty mixes: a row of short strokes in one band, among noise in the same band or another one, at
// levels between 30 dB under and 10 over it. In truth it is buried where it shares the band and
// lies at least 14 dB under what is there, and heard where it does not share it or lies less than
// 2 dB under it; between is nobody's business.
TEST(Masking, FindsBuriedMembersOfMadeUpMixes) {
    int buried = 0, found = 0, heard = 0, alarms = 0;
    for (int n = 0; n < 40; ++n) {
        const double own = n % 4 < 2 ? 300.0 : 3000.0;
        const bool shares = n % 2 == 0;
        const double other = shares ? own : (own < 1000.0 ? 4000.0 : 200.0);
        const double db = -30.0 + 40.0 * ((n / 2) % 20) / 19.0;
        const std::vector<float> masker =
            bandNoise(other, 0.1, 4 * 48000, static_cast<std::uint64_t>(100 + n));
        std::vector<float> strokes =
            bandNoise(own, 0.1 * gainFromDb(db), 4 * 48000, static_cast<std::uint64_t>(500 + n));
        // Strokes of 80 ms, four a second.
        for (std::size_t i = 0; i < strokes.size(); ++i) {
            if (i % 12000 > 3840) strokes[i] = 0.0F;
        }
        const EarFrames frames = earFrames(strokes, kMaskRate);
        const Audibility a = audibilityOf(frames, maskedThreshold(earFrames(masker, kMaskRate)));
        ASSERT_TRUE(a.sounds);
        if (shares && db <= -14.0) {
            ++buried;
            found += a.share < kBuried ? 1 : 0;
            EXPECT_GT(a.raiseDb, 0.0);
        }
        if (!shares || db >= -2.0) {
            ++heard;
            alarms += a.share < kBuried ? 1 : 0;
        }
    }
    const double hits = static_cast<double>(found) / buried,
                 falseAlarms = static_cast<double>(alarms) / heard;
    test::accuracy("buried members of made-up mixes: found", ">= 90 %", 100.0 * hits, "%",
                   hits >= 0.9);
    test::accuracy("heard members called buried", "<= 10 %", 100.0 * falseAlarms, "%",
                   falseAlarms <= 0.1);
    EXPECT_GE(hits, 0.9);
    EXPECT_LE(falseAlarms, 0.1);
}

TEST(Masking, SaysHowMuchMoreIsHeard) {
    const auto masker = bandNoise(500.0, 0.1, 4 * 48000, 7);
    auto own = bandNoise(500.0, 0.1 * gainFromDb(-25.0), 4 * 48000, 8);
    const EarFrames threshold = maskedThreshold(earFrames(masker, kMaskRate));
    const Audibility before = audibilityOf(earFrames(own, kMaskRate), threshold);
    ASSERT_LT(before.share, kBuried);
    const auto gain = static_cast<float>(gainFromDb(before.raiseDb + 0.01));
    for (float& v : own) v *= gain;
    EXPECT_NEAR(audibilityOf(earFrames(own, kMaskRate), threshold).share, kHeardEnough, 0.03)
        << "raised by that it is heard in 70 %";
    EXPECT_FALSE(
        audibilityOf(earFrames(std::vector<float>(96000, 0.0F), kMaskRate), threshold).sounds);
    EXPECT_FALSE(audibilityOf({}, {}).sounds);
}

}  // namespace
}  // namespace ember
