// A kit that was taken apart tells what it needs: strokes that nobody found, and none that were
// made up.

#include "core/measure/separate/needed.h"

#include "core/measure/strokes/supposed.h"
#include "tests/support/support.h"
#include "tests/support/worlds.h"

#include <gtest/gtest.h>

#include <algorithm>

namespace ember {
namespace {

double median(std::vector<double> values) {
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

TEST(Needed, StrokesThatWereLeftOutAndNoneThatWereNeverPlayed) {
    const test::TruthKit& truth = test::playedKit();
    const std::vector<Stroke> all = truth.strokes();
    std::vector<Stroke> known;
    std::vector<SupposedStroke> leftOut, kept, madeUp;
    int snares = 0;
    for (const Stroke& s : all) {
        const bool out = s.drum == "snare" && ++snares % 5 == 0;
        if (s.drum == "snare") (out ? leftOut : kept).push_back({s.drum, s.time});
        if (!out) known.push_back(s);
        // Where another drum is struck and the snare is not.
        const bool company = std::any_of(all.begin(), all.end(), [&](const Stroke& o) {
            return o.drum == "snare" && std::abs(o.time - s.time) < 0.08;
        });
        if (s.drum != "snare" && !company) madeUp.push_back({"snare", s.time});
    }
    ASSERT_GE(leftOut.size(), 4U);
    ASSERT_GE(madeUp.size(), 10U);
    const LearntKit learnt(truth.kit(), kitFrame(truth.kit(), known), {});
    const double missed = median(neededStrokes(learnt, leftOut)),
                 found = median(neededStrokes(learnt, kept)),
                 none = median(neededStrokes(learnt, madeUp));
    EXPECT_GT(missed, 20.0 * none);
    EXPECT_GT(missed, 1.0);
    EXPECT_GT(found, 20.0 * none);
    EXPECT_LT(none, 0.1);
    for (const double n : neededStrokes(learnt, madeUp)) EXPECT_GE(n, 0.0);
}

TEST(Needed, IsNotToldWhereNoMicrophoneStands) {
    const test::TruthKit& truth = test::playedKit();
    const LearntKit learnt(truth.kit(), kitFrame(truth.kit(), truth.strokes()), {});
    const std::vector<SupposedStroke> strokes{{"cymbal", 5.0}, {"gong", 5.0}, {"snare", 1e6}};
    EXPECT_EQ(neededStrokes(learnt, strokes), (std::vector<double>{-1.0, -1.0, -1.0}));
}

TEST(Needed, TheSecondLookGivesAndTakes) {
    // As sure as before by itself, the stroke is believed if it is needed and not if it is not.
    for (const auto family : {DrumFamily::kick, DrumFamily::snare, DrumFamily::tom}) {
        EXPECT_TRUE(isLookedAtAgain(family));
        EXPECT_LT(secondLogOdds(0.5, 0.0, family), 0.0);
        EXPECT_GT(secondLogOdds(-0.5, 30.0, family), 0.0);
        for (double odds = -6.0; odds < 6.0; odds += 1.0)
            EXPECT_LT(secondLogOdds(odds, 1.0, family), secondLogOdds(odds + 1.0, 1.0, family));
    }
    EXPECT_FALSE(isLookedAtAgain(DrumFamily::hat));
    EXPECT_FALSE(isLookedAtAgain(DrumFamily::cymbal));
    // On a kit whose ghost notes are as quiet as its bleed, it finds more of what was played.
    const test::TruthKit& truth = test::playedKit();
    const KitMics& kit = truth.kit();
    const KitEvents events = findEvents(kit);
    std::vector<Supposed> supposed = supposeStrokes(kit, events, attribute(kit, events));
    const auto right = [&] {
        int out = 0;
        for (const Stroke& s : likelyStrokes(kit, supposed)) {
            const auto drum = std::find_if(kit.drums.begin(), kit.drums.end(),
                                           [&](const KitDrum& d) { return d.id == s.drum; });
            if (s.drum == "snare") out += truth.struckNear(*drum, s.time) ? 1 : -1;
        }
        return out;
    };
    const int before = right();
    lookAgain(kit, supposed, {});
    EXPECT_GE(right(), before);
}

}  // namespace
}  // namespace ember
