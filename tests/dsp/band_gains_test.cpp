// Gains by band and moment: windows that are cut where a stroke lies in them.
#include "core/dsp/band_gains.h"

#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

constexpr Frames kStroke = 30000;

// A second of a tone that is turned down by 20 dB until a stroke.
struct TurnedUntil {
    std::vector<float> tone = test::sine(400.0, 0.5, 48000, 48000.0);
    BandGains gains;

    explicit TurnedUntil(bool cut) {
        gains.grid = bandGrid(48000.0, std::ssize(tone));
        const auto bands = static_cast<std::size_t>(gains.grid.bands());
        const int hop = gains.grid.hop();
        for (std::int64_t w = 0; w < gains.grid.windows; ++w) {
            const Frames begins = (w - 3) * hop, ends = begins + gains.grid.window;
            // Uncut, what lies across is turned half-way.
            const float across = cut ? 1.0F : 0.55F;
            gains.gain.insert(gains.gain.end(), bands,
                              ends <= kStroke     ? 0.1F
                              : begins >= kStroke ? 1.0F
                                                  : across);
            if (!cut || ends <= kStroke || begins >= kStroke) continue;
            gains.cuts.push_back({w, static_cast<int>(kStroke - begins), gains.cuts.size()});
            gains.before.insert(gains.before.end(), bands, 0.1F);
        }
    }
    [[nodiscard]] std::vector<float> heard() const {
        BandGainReader reader({tone, 0}, std::make_shared<const BandGains>(gains));
        std::vector<float> out(tone.size());
        reader.read(0, out);
        for (std::size_t i = 0; i < out.size(); ++i) out[i] += tone[i];
        return out;
    }
};

double level(const std::vector<float>& x, Frames from, Frames count) {
    double sum = 0.0;
    for (Frames i = from; i < from + count; ++i)
        sum += static_cast<double>(x[static_cast<std::size_t>(i)]) *
               static_cast<double>(x[static_cast<std::size_t>(i)]);
    return 10.0 * std::log10(sum / static_cast<double>(count)) - 20.0 * std::log10(0.5) + 3.0103;
}

TEST(BandGains, NothingIsHeardOfAStrokeBeforeIt) {
    const std::vector<float> cut = TurnedUntil(true).heard(), whole = TurnedUntil(false).heard();
    // A twelfth of a window before it, five milliseconds long.
    const Frames early = kStroke - 420;
    EXPECT_LT(level(cut, early, 240), -17.0);
    EXPECT_GT(level(whole, early, 240), -9.0) << "without, it is heard a while before";
    EXPECT_GT(level(cut, kStroke + 60, 240), -1.0);
    EXPECT_LT(level(whole, kStroke + 60, 240), -3.0);
    // Away from it both are the same.
    EXPECT_NEAR(level(cut, 10000, 4800), -20.0, 0.1);
    EXPECT_NEAR(level(cut, 40000, 4800), 0.0, 0.1);
}

TEST(BandGains, WhereItIsCutItStillDependsOnThePlaceAlone) {
    const TurnedUntil turned(true);
    const auto gains = std::make_shared<const BandGains>(turned.gains);
    std::vector<float> whole(turned.tone.size());
    BandGainReader({turned.tone, 0}, gains).read(0, whole);
    BandGainReader pieces({turned.tone, 0}, gains, 100);
    for (const Frames from : {kStroke - 2000, kStroke - 10, kStroke + 700, kStroke - 1400}) {
        std::vector<float> some(997);
        pieces.read(from, some);
        for (std::size_t i = 0; i < some.size(); ++i)
            ASSERT_EQ(some[i], whole[static_cast<std::size_t>(from) + i]) << from << " " << i;
    }
    // Cut between gains of one, it is the recording bit for bit.
    TurnedUntil none(true);
    std::fill(none.gains.gain.begin(), none.gains.gain.end(), 1.0F);
    std::fill(none.gains.before.begin(), none.gains.before.end(), 1.0F);
    EXPECT_EQ(none.heard(), none.tone);
}

}  // namespace
}  // namespace ember
