// What makes a stroke hit, against its formula; and what a press does to it.

#include "core/measure/strokes/stroke_figures.h"

#include "core/measure/level/press.h"
#include "tests/support/measured_kit.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kRate = 48000.0;

std::vector<float> decaying(double amplitude, double tau, double seconds = 0.4) {
    std::vector<float> x(static_cast<std::size_t>(seconds * kRate));
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] = static_cast<float>(amplitude * std::exp(-static_cast<double>(i) / (tau * kRate)));
    return x;
}

TEST(StrokeFigures, FollowTheirFormulaOnAnExponential) {
    for (const double tau : {0.02, 0.1, 0.4}) {
        const StrokeFigures f = readStroke(decaying(0.5, tau), kRate);
        const double early = 1.0 - std::exp(-2.0 * kAttackSeconds / tau),
                     late = std::exp(-2.0 * kAttackSeconds / tau) -
                            std::exp(-2.0 * kStrokeSeconds / tau);
        EXPECT_NEAR(f.transientToBodyDb, 10.0 * std::log10(early / late), 0.02) << tau;
        EXPECT_NEAR(f.peakDb, 20.0 * std::log10(0.5), 1e-6);
        const double mean = 0.25 * tau / 2.0 * (early + late) / kStrokeSeconds;
        EXPECT_NEAR(f.crestDb, 10.0 * std::log10(0.25 / mean), 0.02) << tau;
    }
}

TEST(StrokeFigures, DoNotDependOnLevelOrOnWhatComesAfter) {
    const std::vector<float> x = decaying(0.5, 0.1), soft = decaying(0.005, 0.1);
    const StrokeFigures a = readStroke(x, kRate), b = readStroke(soft, kRate);
    EXPECT_NEAR(a.crestDb, b.crestDb, 1e-4);
    EXPECT_NEAR(a.transientToBodyDb, b.transientToBodyDb, 1e-4);
    std::vector<float> longer = x;
    longer.resize(x.size() * 2, 0.9F);
    EXPECT_DOUBLE_EQ(readStroke(longer, kRate).energy, a.energy);
    // Two sides alike are one, with twice the energy.
    const std::span<const float> sides[] = {x, x};
    const StrokeFigures both = readStroke(sides, kRate);
    EXPECT_NEAR(both.energy, 2.0 * a.energy, 1e-9 * a.energy);
    EXPECT_NEAR(both.crestDb, a.crestDb, 1e-9);
}

TEST(StrokeFigures, AreFiniteForSilenceAndShortEnds) {
    for (const std::size_t frames : {std::size_t{0}, std::size_t{1}, std::size_t{100}}) {
        const StrokeFigures f = readStroke(std::vector<float>(frames, 0.0F), kRate);
        EXPECT_TRUE(std::isfinite(f.crestDb)) << frames;
        EXPECT_TRUE(std::isfinite(f.transientToBodyDb)) << frames;
        EXPECT_DOUBLE_EQ(f.peakDb, -150.0) << frames;
    }
}

// Peaks by block of strokes whose first block is `first` and whose rest falls from `body`.
std::vector<float> blocks(const std::vector<double>& first, double body, std::size_t apart) {
    std::vector<float> out(first.size() * apart, 0.0F);
    for (std::size_t n = 0; n < first.size(); ++n) {
        for (std::size_t i = 0; i < apart; ++i)
            out[n * apart + i] = static_cast<float>(
                i == 0 ? first[n] : body * first[n] * std::exp(-static_cast<double>(i) / 60.0));
    }
    return out;
}

TEST(Press, CountsWhatPunchAndPatternLost) {
    constexpr double kBlock = 64.0 / kRate;
    const std::vector<double> loud{0.8, 0.4, 0.7, 0.3, 0.8, 0.4, 0.6, 0.3};
    std::vector<double> times;
    for (std::size_t n = 0; n < loud.size(); ++n)
        times.push_back(static_cast<double>(n) * 400.0 * kBlock);
    const std::vector<float> before = blocks(loud, 0.3, 400);
    // Nothing done, nothing said.
    const Press none = measurePress(before, before, kBlock, times);
    EXPECT_EQ(none.strokes, 8);
    EXPECT_DOUBLE_EQ(none.punchBefore, none.punchAfter);
    EXPECT_TRUE(pressWarning(none).empty());
    // All strokes alike: the pattern is gone.
    const std::vector<float> even = blocks(std::vector<double>(8, 0.5), 0.3, 400);
    const Press flat = measurePress(before, even, kBlock, times);
    EXPECT_NEAR(flat.spreadAfter, 0.0, 1e-6);
    EXPECT_NE(pressWarning(flat).find("pattern of loud and soft strokes flattens"),
              std::string::npos);
    // First blocks lowered: punch is gone.
    std::vector<double> caught = loud;
    std::vector<float> dull = blocks(loud, 0.3, 400);
    for (std::size_t n = 0; n < loud.size(); ++n) {
        for (std::size_t i = 0; i < 22; ++i) dull[n * 400 + i] *= 0.4F;
    }
    const Press lost = measurePress(before, dull, kBlock, times);
    EXPECT_LT(lost.punchAfter, lost.punchBefore - 3.0);
    EXPECT_NE(pressWarning(lost).find("Punch falls by"), std::string::npos);
    // Too few strokes tell nothing.
    EXPECT_TRUE(
        pressWarning(measurePress(before, dull, kBlock, std::span(times).first(4))).empty());
}

TEST(Twins, AreTheOtherMicrophonesOfDrumsThatHaveTwo) {
    const KitMeasurement& kit = test::measuredKit().kit;
    const auto of = [&](const std::vector<DrumTone>& list, const char* mic) -> const DrumTone* {
        for (const DrumTone& t : list) {
            if (t.mic == mic) return &t;
        }
        return nullptr;
    };
    ASSERT_EQ(kit.twins.size(), 2U) << "a kick and a snare with two microphones each";
    const DrumTone *inside = of(kit.twins, "kick-in"), *outside = of(kit.tone, "kick-out");
    ASSERT_TRUE(inside != nullptr && outside != nullptr);
    EXPECT_EQ(inside->drum, "kick");
    EXPECT_GT(inside->attackDb, outside->attackDb + 6.0) << "the beater is heard inside";
    const DrumTone *bottom = of(kit.twins, "snare-bottom"), *top = of(kit.tone, "snare-top");
    ASSERT_TRUE(bottom != nullptr && top != nullptr);
    EXPECT_GT(bottom->brightness, top->brightness) << "the wires are heard below";
    EXPECT_DOUBLE_EQ(bottom->fundamental, top->fundamental);
    EXPECT_TRUE(bottom->rings.empty());
    EXPECT_EQ(bottom->median.frequency.size(), top->median.frequency.size());
}

}  // namespace
}  // namespace ember
