#include "core/advise/eq_fit.h"

#include <gtest/gtest.h>

#include <cmath>

namespace ember {
namespace {

// Flat at -40 dB, with a bump of `db` at `hertz` a third of an octave wide.
Spectrum bumpAt(double hertz, double db) {
    Spectrum s;
    for (double f = 20.0; f < 20000.0; f *= std::exp2(1.0 / 12.0)) {
        s.frequency.push_back(f);
        s.level.push_back(-40.0 + (std::abs(std::log2(f / hertz)) < 1.0 / 6.0 ? db : 0.0));
    }
    return s;
}

TEST(EqFit, ARingIsCutAtItsOwnPlaceAsWideAsItRings) {
    const std::vector<Ring> rings{{412.0, 11.0, 0.04, 0.9, -30.0}};
    const BandFit cut = cutAt(bumpAt(412.0, 11.0), rings, 420.0);
    EXPECT_DOUBLE_EQ(cut.frequency, 412.0);
    EXPECT_DOUBLE_EQ(cut.gainDb, -8.0);
    EXPECT_NEAR(cut.q, 412.0 * 0.04 / 2.2, 1e-9);
    // Somewhere else it is not that ring's.
    EXPECT_DOUBLE_EQ(cutAt(bumpAt(412.0, 11.0), rings, 500.0).frequency, 500.0);
}

TEST(EqFit, ElsewhereACutIsAsDeepAsThePlaceStandsOut) {
    EXPECT_NEAR(cutAt(bumpAt(700.0, 6.0), {}, 700.0).gainDb, -6.0, 0.4);
    EXPECT_DOUBLE_EQ(cutAt(bumpAt(700.0, 0.0), {}, 700.0).gainDb, -3.0);
    EXPECT_DOUBLE_EQ(cutAt(bumpAt(700.0, 20.0), {}, 700.0).gainDb, -9.0);
}

TEST(EqFit, MatchingBringsTheShapeNearAndLeavesTheLevel) {
    Spectrum own = bumpAt(1000.0, 0.0), wanted = own;
    // Leaning by 9 dB over the range, and 14 dB louder.
    for (std::size_t i = 0; i < own.level.size(); ++i)
        wanted.level[i] += 14.0 + 0.9 * std::log2(own.frequency[i] / 1000.0);
    const std::vector<BandFit> bands = matchBands(own, wanted);
    ASSERT_FALSE(bands.empty());
    ASSERT_LE(bands.size(), 5U);
    const auto far = [&](bool matched) {
        double sum = 0.0;
        int count = 0;
        for (std::size_t i = 0; i < own.level.size(); ++i) {
            const double f = own.frequency[i];
            if (f < 60.0 || f > 12000.0) continue;
            double db = wanted.level[i] - own.level[i] - 14.0;
            for (const BandFit& b : bands) {
                EXPECT_LE(std::abs(b.gainDb), 6.0);
                for (const AnalogueSection& s :
                     analogueSections(EqShape::bell, b.frequency, b.gainDb, b.q, 2))
                    db -= matched ? 20.0 * std::log10(std::abs(response(s, f))) : 0.0;
            }
            sum += db * db;
            ++count;
        }
        return std::sqrt(sum / count);
    };
    EXPECT_LT(far(true), 0.6 * far(false));
}

TEST(EqFit, TheSameShapeNeedsNoBand) {
    Spectrum own = bumpAt(300.0, 8.0), louder = own;
    for (double& db : louder.level) db += 9.0;
    EXPECT_TRUE(matchBands(own, louder).empty());
    EXPECT_TRUE(matchBands(own, Spectrum{}).empty());
}

TEST(EqFit, ACurveGivesMostWhereTheEnergyLies) {
    const Spectrum low = bumpAt(100.0, 30.0), high = bumpAt(9000.0, 30.0);
    std::vector<double> shelf(low.level.size());
    for (std::size_t i = 0; i < shelf.size(); ++i) shelf[i] = low.frequency[i] > 5000.0 ? 6.0 : 0.0;
    EXPECT_LT(curveGainDb(low, shelf, 20.0), 0.3);
    EXPECT_GT(curveGainDb(high, shelf, 20.0), 5.5);
    EXPECT_NEAR(curveGainDb(low, shelf, 5500.0), 6.0, 1e-9);
}

}  // namespace
}  // namespace ember
