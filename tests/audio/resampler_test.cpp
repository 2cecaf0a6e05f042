// Conversion of a stream: the tone stays the tone, where it was.

#include "core/audio/resampler.h"

#include "tests/support/support.h"

#include <cmath>
#include <numbers>

namespace ember {
namespace {

TEST(Resampler, AToneStaysWhereItWasWhateverThePieces) {
    constexpr int kFrom = 48000, kTo = 44100;
    std::vector<float> in;
    for (int i = 0; i < kFrom; ++i) {
        const double phase = 2.0 * std::numbers::pi * 1000.0 * i / kFrom;
        in.push_back(static_cast<float>(0.5 * std::sin(phase)));
        in.push_back(static_cast<float>(0.25 * std::cos(phase)));
    }
    std::vector<std::vector<float>> made;
    for (const std::size_t piece : {std::size_t{2}, std::size_t{254}, in.size()}) {
        Resampler resampler(kFrom, kTo, 2);
        std::vector<float>& out = made.emplace_back();
        const auto keep = [&](std::span<const float> x) {
            out.insert(out.end(), x.begin(), x.end());
        };
        for (std::size_t at = 0; at < in.size(); at += piece)
            resampler.push({in.data() + at, std::min(piece, in.size() - at)}, keep);
        resampler.finish(keep);
        ASSERT_NEAR(static_cast<double>(out.size()) / 2.0, kTo, 1.0);
        double worst = 0.0;
        // Away from where the tone begins and ends.
        for (int i = 4000; i < kTo - 4000; ++i) {
            const double phase = 2.0 * std::numbers::pi * 1000.0 * i / kTo;
            const auto k = static_cast<std::size_t>(2 * i);
            worst = std::max({worst, std::abs(0.5 * std::sin(phase) - static_cast<double>(out[k])),
                              std::abs(0.25 * std::cos(phase) - static_cast<double>(out[k + 1]))});
        }
        EXPECT_LT(dbFromGain(worst), -110.0);
    }
    EXPECT_EQ(made[0], made[2]);
    EXPECT_EQ(made[1], made[2]);
}

}  // namespace
}  // namespace ember
