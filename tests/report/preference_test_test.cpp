// Preference over several mixes: everyone meets everyone, and luck is told from taste.
#include "core/report/preference_test.h"

#include "core/base/error.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <random>
#include <set>

namespace ember {
namespace {

using Answer = PreferenceTest::Answer;

// Goes through a test with somebody who prefers by `taste`, mix by mix.
template <typename Says>
PreferenceTest taken(int mixes, int rounds, std::uint64_t seed, Says says) {
    PreferenceTest test(mixes, rounds, seed);
    while (!test.done()) test.answer(says(test.pair()));
    return test;
}

TEST(Preference, EveryTwoMeetEquallyOftenOnDrawnSides) {
    PreferenceTest test(4, 6, 77);
    EXPECT_EQ(test.trials(), 36);
    std::map<std::set<int>, int> met;
    int ordered = 0;
    while (!test.done()) {
        const auto [first, second] = test.pair();
        EXPECT_NE(first, second);
        ++met[{first, second}];
        ordered += first < second ? 1 : 0;
        // All six pairs meet once before any meets again.
        const int round = test.answered() / 6;
        EXPECT_EQ((met[{first, second}]), round + 1);
        test.answer(Answer::neither);
    }
    EXPECT_EQ(met.size(), 6U);
    EXPECT_GT(ordered, 8);
    EXPECT_LT(ordered, 28);
    EXPECT_EQ(test.sentence({"A", "B", "C", "D"}), "None was preferred over another.");
    EXPECT_EQ(PreferenceTest(4, 6, 77).pair(), PreferenceTest(4, 6, 77).pair());
}

TEST(Preference, FindsWhatIsPreferredAndSaysHowSure) {
    const auto test = taken(3, PreferenceTest::usualRounds(3), 5, [](PreferenceTest::Pair p) {
        if (p.first == 2) return Answer::first;
        if (p.second == 2) return Answer::second;
        return Answer::neither;
    });
    EXPECT_EQ(test.ranking().front(), 2);
    EXPECT_EQ(test.results()[2], (PreferenceTest::Result{8, 0, 0}));
    EXPECT_EQ(test.results()[0], (PreferenceTest::Result{0, 4, 4}));
    EXPECT_NEAR(test.chance(), 3.0 / 256.0, 1e-12);
    EXPECT_EQ(
        test.sentence({"A", "B", "C"}),
        "“C” was preferred in 8 of 8 trials in which it was better or worse; by chance one of "
        "them does as well with 1.2 %: you prefer it.");
    PreferenceTest open(2, 8, 1);
    open.answer(Answer::first);
    EXPECT_EQ(open.sentence({"A", "B"}), "Trial 2 of 8.") << "nothing of how it stands";
}

TEST(Preference, IsSeldomFooledByGuessing) {
    // Whoever answers at random is said to prefer something in one test of twenty at most.
    std::mt19937_64 random(9);
    for (const int mixes : {2, 3, 5}) {
        int fooled = 0;
        constexpr int kTests = 2000;
        for (int n = 0; n < kTests; ++n) {
            const auto test = taken(
                mixes, PreferenceTest::usualRounds(mixes), random(), [&](PreferenceTest::Pair) {
                    return (random() & 1U) != 0 ? Answer::first : Answer::second;
                });
            fooled += test.chance() <= 0.05 ? 1 : 0;
        }
        EXPECT_LE(fooled, kTests / 20) << mixes;
    }
}

TEST(Preference, RefusesWhatShowsNothing) {
    EXPECT_THROW(PreferenceTest(1, 5, 1), Error);
    EXPECT_THROW(PreferenceTest(7, 5, 1), Error);
    EXPECT_THROW(PreferenceTest(2, 0, 1), Error);
    for (int mixes = 2; mixes <= PreferenceTest::kMostMixes; ++mixes)
        EXPECT_GE(PreferenceTest::usualRounds(mixes) * (mixes - 1), 8) << mixes;
}

}  // namespace
}  // namespace ember
