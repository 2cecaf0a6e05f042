// The parts that processors are made of: bands, loudness match, smoothing by state-variable
// filters.

#include "core/base/units.h"
#include "core/dsp/band_split.h"
#include "core/dsp/block_delay.h"
#include "core/dsp/loudness_match.h"
#include "core/dsp/processor.h"
#include "core/measure/level/levels.h"
#include "tests/support/support.h"

#include <cmath>
#include <complex>
#include <numbers>

namespace ember {
namespace {

// Level of a steady sine after a per-sample function, against what went in.
template <typename Next>
double gainAt(double hertz, double rate, Next next) {
    double sine = 0.0, cosine = 0.0;
    const auto settle = static_cast<int>(0.5 * rate);
    // Whole periods, so that the correlation is exact.
    const int periods = std::max(8, static_cast<int>(hertz * 0.25));
    const auto frames = static_cast<int>(std::lround(periods * rate / hertz));
    for (int i = 0; i < settle + frames; ++i) {
        const double phase = 2.0 * std::numbers::pi * hertz * i / rate;
        const double y = next(std::sin(phase));
        if (i < settle) continue;
        sine += y * std::sin(phase);
        cosine += y * std::cos(phase);
    }
    return dbFromGain(2.0 / frames * std::hypot(sine, cosine));
}

class BlocksAtRate : public testing::TestWithParam<double> {};

TEST_P(BlocksAtRate, ABandAndItsRestAreTheSignal) {
    BandSplit split;
    split.set(300.0, 5000.0, GetParam());
    const auto x = test::noise(0.5, 20000, 3);
    for (const float v : x) {
        const double band = split.next(static_cast<double>(v));
        EXPECT_NEAR(band + (static_cast<double>(v) - band), static_cast<double>(v), 1e-12);
    }
    BandSplit whole;
    whole.set(BandSplit::kLowest, BandSplit::kHighest, GetParam());
    EXPECT_TRUE(whole.whole());
    EXPECT_EQ(whole.next(0.37), 0.37);
}

TEST_P(BlocksAtRate, TheBandIsButterworth) {
    const double rate = GetParam();
    for (const auto& [hertz, db] :
         {std::pair{300.0, -3.01}, {150.0, -12.3}, {5000.0, -3.01}, {1200.0, -0.05}}) {
        BandSplit split;
        split.set(300.0, 5000.0, rate);
        EXPECT_NEAR(gainAt(hertz, rate, [&](double x) { return split.next(x); }), db, 0.35)
            << hertz;
    }
}

TEST_P(BlocksAtRate, AShelvedBandFollowsItsFormula) {
    const double rate = GetParam();
    for (const double gainDb : {-18.0, -6.0, 9.0}) {
        const double g = gainFromDb(gainDb);
        for (const double hertz : {250.0, 1000.0, 2000.0, 6000.0}) {
            BandGain band;
            band.set(1000.0, BandGain::kHighest, rate);
            // The bilinear transform bends frequencies: W is a ratio of tangents.
            const double w = std::tan(std::numbers::pi * hertz / rate) /
                             std::tan(std::numbers::pi * 1000.0 / rate),
                         w4 = w * w * w * w;
            const double should = 10.0 * std::log10((1.0 + g * g * w4) / (1.0 + w4));
            EXPECT_NEAR(gainAt(hertz, rate, [&](double x) { return band.next(x, g); }), should,
                        0.05)
                << hertz << " " << gainDb;
        }
    }
}

TEST_P(BlocksAtRate, ABandAtUnityIsNotThere) {
    BandGain band;
    band.set(2000.0, 8000.0, GetParam());
    for (const float v : test::noise(0.5, 5000, 4))
        ASSERT_EQ(band.next(static_cast<double>(v), 1.0), static_cast<double>(v));
}

TEST_P(BlocksAtRate, TheWholeIsTurnedWhereBothEndsAreOff) {
    BandGain band;
    band.set(BandGain::kLowest, BandGain::kHighest, GetParam());
    EXPECT_DOUBLE_EQ(band.next(0.5, 0.25), 0.125);
}

// A sweep of the corner moves nothing faster than it glides.
TEST_P(BlocksAtRate, CornersGlide) {
    const double rate = GetParam();
    BandSplit split;
    split.set(100.0, BandSplit::kHighest, rate);
    std::vector<float> out;
    for (int i = 0; i < static_cast<int>(rate); ++i) {
        if (i == static_cast<int>(0.5 * rate)) split.set(4000.0, BandSplit::kHighest, rate);
        out.push_back(static_cast<float>(
            split.next(0.5 * std::sin(2.0 * std::numbers::pi * 100.0 * i / rate))));
    }
    EXPECT_LT(test::peakAboveDb(out, 2150.0, rate), -60.0);
}

TEST_P(BlocksAtRate, TheLoudnessMatchIsThatOfTheStandard) {
    const double rate = GetParam();
    for (const double gainDb : {-14.0, 0.0, 7.5}) {
        LoudnessMatch match;
        match.prepare(rate);
        std::vector<float> in = test::noise(0.2, static_cast<std::size_t>(6.0 * rate), 8), out;
        // What comes out is darker too: the weighting has to be right.
        double low = 0.0;
        for (const float v : in) {
            low += 0.2 * (static_cast<double>(v) - low);
            out.push_back(static_cast<float>(gainFromDb(gainDb) * low));
        }
        for (std::size_t i = 0; i < in.size(); ++i) {
            match.add(0, in[i], out[i]);
            match.endFrame();
        }
        const std::vector<std::span<const float>> a{in}, b{out};
        const double should = measureLevels(a, rate).integrated - measureLevels(b, rate).integrated;
        EXPECT_NEAR(dbFromGain(match.gain()), should, 0.1);
    }
}

TEST_P(BlocksAtRate, SilenceTellsTheLoudnessMatchNothing) {
    LoudnessMatch match;
    match.prepare(GetParam());
    for (int i = 0; i < static_cast<int>(GetParam()); ++i) {
        match.add(0, 0.0, 0.0);
        EXPECT_FALSE(match.endFrame());
    }
    EXPECT_EQ(match.gain(), 1.0);
}

// A line that is read while its length goes from here to there, forwards, backwards and not at all,
// against the signal itself, which is smooth enough for the cubic.
TEST(BlockDelay, IsReadWhileItMovesAsFarAsItSays) {
    constexpr double kTurns = 0.01;  // a frame
    const auto signal = [](double frame) {
        return std::sin(2.0 * std::numbers::pi * kTurns * frame);
    };
    for (const auto& [from, to] : std::vector<std::pair<double, double>>{
             {900.0, 900.0}, {900.3, 900.31}, {901.9, 903.2}, {950.0, 946.0}, {917.99, 918.01}}) {
        BlockDelay delay;
        delay.prepare(1000, 0);
        Frames written = 0;
        std::vector<float> block(kBlock);
        for (int b = 0; b < 40; ++b) {
            for (float& sample : block)
                sample = static_cast<float>(signal(static_cast<double>(written++)));
            delay.write(block.data(), kBlock);
        }
        delay.readMoving(block.data(), kBlock, from, to);
        for (int i = 0; i < kBlock; ++i) {
            const double length = from + (to - from) * i / kBlock;
            EXPECT_NEAR(static_cast<double>(block[static_cast<std::size_t>(i)]),
                        signal(static_cast<double>(written) + i - length), 1e-5)
                << from << " to " << to << ", frame " << i;
        }
    }
}

INSTANTIATE_TEST_SUITE_P(Rates, BlocksAtRate, testing::ValuesIn(test::kRates));

}  // namespace
}  // namespace ember
