// Arithmetic over blocks: the same samples however the block is cut, and as exact as promised.

#include "core/base/units.h"
#include "core/dsp/convolve.h"
#include "core/dsp/decibels.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

TEST(Convolve, AddsEverySumInItsOrder) {
    const std::vector<float> line = test::noise(0.7, 400, 3), taps = test::noise(0.2, 93, 4);
    for (const int n : {1, 31, 32, 33, 64, 100, 256}) {
        for (const int stride : {1, 2}) {
            std::vector<float> out(static_cast<std::size_t>(n * stride), 9.0F);
            convolve(line.data(), taps, n, out.data(), stride);
            for (int k = 0; k < n; ++k) {
                float sum = 0.0F;
                for (std::size_t j = 0; j < taps.size(); ++j)
                    sum += taps[j] * line[static_cast<std::size_t>(k) + j];
                ASSERT_EQ(out[static_cast<std::size_t>(k * stride)], sum) << n << ", " << k;
                if (stride == 2) {
                    ASSERT_EQ(out[static_cast<std::size_t>(k * stride + 1)], 9.0F);
                }
            }
        }
    }
}

TEST(Decibels, AreExactFarBelowWhatAnyDetectorPromises) {
    std::vector<float> levels, wanted;
    for (double db = -120.0; db <= 20.0; db += 0.37) {
        levels.push_back(static_cast<float>(gainFromDb(db)));
        wanted.push_back(static_cast<float>(db));
    }
    const std::vector<float> magnitudes = levels;
    toDecibels(levels.data(), static_cast<int>(levels.size()));
    for (std::size_t i = 0; i < levels.size(); ++i)
        // A tenth of a billionth is added, so that silence has a logarithm.
        EXPECT_NEAR(levels[i], wanted[i], wanted[i] > -90.0F ? 1e-4 : 2e-3);
    toGains(wanted.data(), levels.data(), static_cast<int>(wanted.size()));
    for (std::size_t i = 0; i < levels.size(); ++i)
        EXPECT_NEAR(levels[i] / magnitudes[i], 1.0, 5e-6);
    float silence = 0.0F, nothing = 0.0F;
    toDecibels(&silence, 1);
    EXPECT_NEAR(silence, -200.0F, 1e-3);
    toGains(&nothing, &nothing, 1);
    EXPECT_EQ(nothing, 1.0F) << "no gain is exactly none";
}

}  // namespace
}  // namespace ember
