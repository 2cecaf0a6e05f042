// Delay: echoes where and as loud as they should be, to and fro, giving way, without clicks.
#include "core/dsp/delay.h"

#include "core/base/units.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <cmath>

namespace ember {
namespace {

// Open filters, 100 ms left and 150 ms right, half fed back.
std::vector<double> plain() {
    std::vector<double> v = standardValues(processorType("delay").table);
    v[Delay::left] = 100.0;
    v[Delay::right] = 150.0;
    v[Delay::feedback] = 50.0;
    v[Delay::lowCut] = 20.0;
    v[Delay::highCut] = 20000.0;
    return v;
}

std::array<std::vector<float>, 2> throughBoth(const std::vector<double>& values,
                                              std::array<std::vector<float>, 2> sides,
                                              double rate = 48000.0, int block = kBlock) {
    Delay delay({rate, 2}, values);
    for (std::size_t at = 0; at < sides[0].size(); at += static_cast<std::size_t>(block)) {
        const int frames = static_cast<int>(
            std::min<std::size_t>(static_cast<std::size_t>(block), sides[0].size() - at));
        const AudioBlock io{{sides[0].data() + at, sides[1].data() + at}, 2, frames};
        delay.process(io, io);
    }
    return sides;
}

std::array<std::vector<float>, 2> click(std::size_t frames, bool leftOnly = false) {
    std::array<std::vector<float>, 2> sides{std::vector<float>(frames), std::vector<float>(frames)};
    sides[0][0] = 1.0F;
    if (!leftOnly) sides[1][0] = 1.0F;
    return sides;
}

TEST(Delay, AnswersToTheFrameAndByItsFeedback) {
    for (const double rate : test::kRates) {
        const auto out = throughBoth(plain(), click(static_cast<std::size_t>(rate)), rate);
        for (const auto& [side, ms] : {std::pair{0, 100.0}, {1, 150.0}}) {
            const auto step = static_cast<std::size_t>(std::lround(ms * rate / 1000.0));
            for (std::size_t n = 1; n * step < out[0].size(); ++n)
                EXPECT_NEAR(out[static_cast<std::size_t>(side)][n * step],
                            std::pow(0.5, static_cast<double>(n) - 1.0), 1e-6)
                    << rate << " " << side << " " << n;
            double rest = 0.0;
            for (std::size_t i = 0; i < out[0].size(); ++i) {
                if (i % step != 0) rest += std::abs(out[static_cast<std::size_t>(side)][i]);
            }
            EXPECT_LT(rest, 1e-5);
        }
    }
}

TEST(Delay, GoesToAndFroAndKeepsTheDryByItsMix) {
    std::vector<double> v = plain();
    v[Delay::right] = 100.0;
    v[Delay::cross] = 100.0;
    v[Delay::mix] = 25.0;
    const auto out = throughBoth(v, click(48000, true));
    EXPECT_NEAR(out[0][0], 0.75, 1e-6);
    EXPECT_NEAR(out[0][4800], 0.25, 1e-6);
    EXPECT_NEAR(out[1][4800], 0.0, 1e-6);
    EXPECT_NEAR(out[1][9600], 0.125, 1e-6);
    EXPECT_NEAR(out[0][9600], 0.0, 1e-6);
    EXPECT_NEAR(out[0][14400], 0.0625, 1e-6);
}

TEST(Delay, GetsDarkerAndThinnerByItsCorners) {
    std::vector<double> v = plain();
    v[Delay::left] = v[Delay::right] = 500.0;
    v[Delay::feedback] = 0.0;
    v[Delay::lowCut] = 200.0;
    v[Delay::highCut] = 2000.0;
    const auto level = [&](double hertz) {
        const auto tone = test::sine(hertz, 0.1, 96000, 48000.0);
        const auto out = throughBoth(v, {tone, tone});
        return test::peakDb(out[0], 60000) + 20.0;
    };
    EXPECT_NEAR(level(632.0), 20.0 * std::log10(1.0 / (1.0 + 0.1)), 0.3);
    EXPECT_NEAR(level(200.0), -3.05, 0.3);
    EXPECT_NEAR(level(2000.0), -3.05, 0.3);
    EXPECT_LT(level(8000.0), -11.0);
}

TEST(Delay, GivesWayWhileTheDrumSounds) {
    std::vector<double> v = plain();
    v[Delay::duck] = 20.0;
    std::array<std::vector<float>, 2> sides{test::sine(400.0, 0.5, 24000, 48000.0), {}};
    sides[0].resize(48000, 0.0F);
    sides[1] = sides[0];
    std::vector<double> open = v;
    open[Delay::duck] = 0.0;
    const auto ducked = throughBoth(v, sides), plainly = throughBoth(open, sides);
    const auto range = [](const std::vector<float>& x, std::size_t from, std::size_t to) {
        return test::peakDb(x, from, to);
    };
    EXPECT_NEAR(range(ducked[0], 12000, 20000) - range(plainly[0], 12000, 20000), -20.0, 0.5);
    EXPECT_GT(range(ducked[0], 44000, 48000) - range(plainly[0], 44000, 48000), -3.0)
        << "and comes back behind it";
}

TEST(Delay, NeitherClicksNorRunsAway) {
    std::vector<double> v = plain();
    v[Delay::feedback] = 95.0;
    v[Delay::cross] = 50.0;
    Delay delay({48000.0, 1}, v);
    const auto tone = test::sine(100.0, 0.02, 96000, 48000.0);
    const std::vector<float> out = test::run(delay, tone, {}, [&](int block) {
        if (block == 400) delay.setValue(Delay::left, 173.0);
        if (block == 800) delay.setValue(Delay::feedback, 10.0);
        if (block == 1000) delay.setValue(Delay::left, 20.0);
    });
    EXPECT_LT(test::peakAboveDb(std::vector<float>(out.begin() + 9600, out.end()), 3000.0, 48000.0),
              -70.0);
    EXPECT_LT(test::peakDb(out), 0.0);
    const auto noise = test::noise(0.5, 480000, 9);
    const auto loud = throughBoth(v, {noise, noise});
    EXPECT_LT(test::peakDb(loud[0]), 35.0);
}

}  // namespace
}  // namespace ember
