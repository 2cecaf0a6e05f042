// A kit that was taken apart follows corrected strokes where they are, and nowhere else.
#include "core/measure/separate/corrected.h"

#include "core/base/statistics.h"
#include "core/measure/separate/learnt_kit.h"
#include "tests/support/support.h"
#include "tests/support/worlds.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// Every ninth of the snare's strokes, and what is there without them.
struct LeftOut {
    std::vector<Stroke> all = test::playedKit().strokes(), known, gone;
    BleedModel model;

    LeftOut() {
        int snares = 0;
        for (const Stroke& s : all)
            (s.drum == "snare" && ++snares % 9 == 0 ? gone : known).push_back(s);
        model = measureBleedModel(test::playedKit().kit(), known);
    }
};
const LeftOut& leftOut() {
    static const LeftOut theOne;
    return theOne;
}

// How the levels of hits at these strokes differ between two models of the same hits, dB, median.
double levelsApart(const BleedModel& a, const BleedModel& b, const std::vector<Stroke>& strokes) {
    const auto bands = static_cast<std::size_t>(a.grid.bands());
    std::vector<double> apart;
    for (std::size_t h = 0; h < a.hits.size(); ++h) {
        const bool one = std::any_of(strokes.begin(), strokes.end(), [&](const Stroke& s) {
            return a.drums[static_cast<std::size_t>(a.hits[h].drum)] == s.drum &&
                   a.hits[h].window == windowBefore(a, s.time);
        });
        for (std::size_t band = 0; one && band < bands; ++band) {
            const auto db = [&](const BleedModel& m) {
                return 10.0 *
                       std::log10(static_cast<double>(fromLogPower(m.levels[h * bands + band])));
            };
            apart.push_back(std::abs(db(a) - db(b)));
        }
    }
    return median(std::move(apart));
}

TEST(Corrected, StrokesThatWerePutInAreHeardAsIfTheyHadBeenKnown) {
    const LeftOut& kit = leftOut();
    ASSERT_GE(kit.gone.size(), 2U);
    const auto fixed = corrected(kit.model, test::playedKit().kit(), kit.all);
    ASSERT_TRUE(fixed.has_value());
    const BleedModel anew = measureBleedModel(test::playedKit().kit(), kit.all);
    EXPECT_EQ(fixed->hits, anew.hits);
    // As near as those that were known are, whose pictures differ a little too.
    std::vector<Stroke> known;
    for (const Stroke& s : kit.known) {
        if (s.drum == "snare") known.push_back(s);
    }
    EXPECT_LT(levelsApart(*fixed, anew, kit.gone), 1.5 + levelsApart(*fixed, anew, known));
}

TEST(Corrected, FarFromThemNothingChanges) {
    const LeftOut& kit = leftOut();
    std::vector<Stroke> strokes = kit.known;
    strokes.push_back(kit.gone.front());
    sortByTime(strokes);
    const auto fixed = corrected(kit.model, test::playedKit().kit(), strokes);
    ASSERT_TRUE(fixed.has_value());
    EXPECT_EQ(fixed->pictures, kit.model.pictures);
    const auto bands = static_cast<std::size_t>(kit.model.grid.bands());
    const double hop = kit.model.grid.hop() / kit.model.sampleRate, at = kit.gone.front().time;
    std::size_t same = 0, other = 0;
    for (std::size_t i = 0; i < kit.model.moved.size(); ++i) {
        const auto window = static_cast<std::int64_t>(i / bands) % kit.model.grid.windows;
        const bool far = std::abs(static_cast<double>(window) * hop - at) > 1.6;
        const bool equal =
            kit.model.moved[i] == fixed->moved[i] && kit.model.beside[i] == fixed->beside[i];
        ASSERT_TRUE(equal || !far) << window;
        (equal ? same : other) += 1;
    }
    EXPECT_GT(other, 0U);
    EXPECT_GT(same, 4 * other);
    // The same strokes again are the same model.
    EXPECT_EQ(corrected(kit.model, test::playedKit().kit(), kit.known), kit.model);
    EXPECT_EQ(corrected(kit.model, test::playedKit().kit(), strokes), fixed) << "deterministic";
}

TEST(Corrected, WhatChangesTheKitItselfIsLearntAnew) {
    const LeftOut& kit = leftOut();
    std::vector<Stroke> half(kit.known.begin(),
                             kit.known.begin() + static_cast<std::ptrdiff_t>(kit.known.size() / 2));
    EXPECT_FALSE(corrected(kit.model, test::playedKit().kit(), half).has_value()) << "too many";
    std::vector<Stroke> without;
    for (const Stroke& s : kit.known) {
        if (s.drum != kit.model.drums.back()) without.push_back(s);
    }
    EXPECT_FALSE(corrected(kit.model, test::playedKit().kit(), without).has_value())
        << "a drum is gone";
    // What an older version kept says not how loud the microphones are.
    BleedModel older = kit.model;
    older.scales.clear();
    EXPECT_FALSE(corrected(older, test::playedKit().kit(), kit.all).has_value());
    EXPECT_EQ(bleedModelFrom(toBytes(kit.model)), kit.model);
}

}  // namespace
}  // namespace ember
