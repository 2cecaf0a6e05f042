#include "core/report/stroke_view.h"

#include "core/base/units.h"
#include "core/engine/render.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

constexpr double kTime = 2.0;

// Decaying strokes of noise, one a second, at -6 dBFS.
Session strokesInAFile(const test::TempFolder& folder) {
    std::vector<float> x(4 * 48000, 0.0F);
    for (std::size_t n = 0; n < 4; ++n) {
        const auto hit = test::noise(0.5, 12000, n + 1);
        for (std::size_t i = 0; i < hit.size(); ++i)
            x[n * 48000 + i] =
                hit[i] * static_cast<float>(std::exp(-static_cast<double>(i) / 4000.0));
    }
    test::writeMono(folder / "strokes.wav", x);
    Session session = test::oneElement(folder / "strokes.wav");
    const std::string row = session.rows.front().id;
    session = withValue(std::move(session), row, "compressor", "threshold", -30.0);
    return withValue(std::move(session), row, "compressor", "attack", 8.0);
}

double peakOf(const std::vector<float>& x, double from, double to) {
    return test::peakDb(x, static_cast<std::size_t>(from * 48000.0),
                        static_cast<std::size_t>(to * 48000.0));
}

TEST(StrokeView, ShowsTheStrokeAsTheRenderHasIt) {
    const test::TempFolder folder;
    const Session session = strokesInAFile(folder);
    const std::string row = session.rows.front().id;
    const StrokeView view = viewStroke(session, test::sharedStore(), row, "compressor", kTime);
    ASSERT_EQ(view.now.size(), static_cast<std::size_t>(std::lround(0.31 * 48000.0)));
    // The compressor has forgotten the second before: the same stretch of the whole song.
    const AudioBuffer whole =
        renderMix(session, test::sharedStore(), {1, 4096, kTime - 0.01, kTime + 0.3});
    for (std::size_t i = 0; i < view.now.size(); i += 7)
        ASSERT_NEAR(view.now[i], whole.channels[0][i], 2e-3F) << i;
    EXPECT_LT(peakOf(view.before, 0.0, 0.009), -100.0) << "silence before it";
    EXPECT_GT(peakOf(view.before, 0.01, 0.03), -8.0);
}

TEST(StrokeView, AFastAttackTakesTheBeginningASlowOneLeavesIt) {
    const test::TempFolder folder;
    const Session session = strokesInAFile(folder);
    const StrokeView view =
        viewStroke(session, test::sharedStore(), session.rows.front().id, "compressor", kTime);
    EXPECT_DOUBLE_EQ(view.fastMs, 2.0);
    EXPECT_DOUBLE_EQ(view.slowMs, 32.0);
    const double fast = peakOf(view.fast, 0.013, 0.02), now = peakOf(view.now, 0.013, 0.02),
                 slow = peakOf(view.slow, 0.013, 0.02), before = peakOf(view.before, 0.013, 0.02);
    EXPECT_LT(fast, now - 1.0);
    EXPECT_LT(now, slow - 1.0);
    EXPECT_LT(slow, before);
}

TEST(StrokeView, AStageWithoutAnAttackHasOnlyBeforeAndNow) {
    const test::TempFolder folder;
    Session session = strokesInAFile(folder);
    const std::string row = session.rows.front().id;
    session = withStageAdded(std::move(session), row, "clipper");
    const StrokeView view = viewStroke(session, test::sharedStore(), row, "clipper", kTime);
    EXPECT_FALSE(view.now.empty());
    EXPECT_TRUE(view.fast.empty());
}

TEST(StrokeView, TheUsualStrokeIsAnAccentOfMiddleLevel) {
    const Session session = test::shortSession();
    std::vector<Stroke> strokes;
    for (const auto& [time, level, kind] : {std::tuple{1.0, -3.0, StrokeKind::accent},
                                            {2.0, -6.0, StrokeKind::accent},
                                            {3.0, -9.0, StrokeKind::accent},
                                            {4.0, -30.0, StrokeKind::ghost}})
        strokes.push_back({time, "snare", "snare-top", 0.5, level, kind, 1.0, false});
    EXPECT_DOUBLE_EQ(usualStroke(session, strokes, "snare-top"), 2.0);
    EXPECT_LT(usualStroke(session, strokes, "hat"), 0.0);
}

}  // namespace
}  // namespace ember
