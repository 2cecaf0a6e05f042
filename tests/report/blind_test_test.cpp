// Blind tests: the arithmetic of guessing, fair draws, and what is told of them.

#include "core/report/blind_test.h"

#include "core/base/error.h"

#include <gtest/gtest.h>

namespace ember {
namespace {

TEST(BlindTest, GuessingFollowsTheBinomialDistribution) {
    // By hand: C(10,9) + C(10,10) of 1024; C(5,5) of 32.
    EXPECT_NEAR(chanceByGuessing(9, 10), 11.0 / 1024.0, 1e-12);
    EXPECT_NEAR(chanceByGuessing(8, 10), 56.0 / 1024.0, 1e-12);
    EXPECT_NEAR(chanceByGuessing(5, 5), 1.0 / 32.0, 1e-12);
    EXPECT_NEAR(chanceByGuessing(0, 20), 1.0, 1e-12);
    EXPECT_EQ(chanceByGuessing(21, 20), 0.0);
    // Rises with every answer that is missing, and both tails make the whole.
    for (int trials = 1; trials <= BlindTest::kMost; ++trials) {
        for (int right = 1; right <= trials; ++right) {
            EXPECT_LT(chanceByGuessing(right, trials), chanceByGuessing(right - 1, trials));
            EXPECT_NEAR(
                chanceByGuessing(right, trials) + chanceByGuessing(trials - right + 1, trials), 1.0,
                1e-9);
        }
    }
}

TEST(BlindTest, SaysHowManyRightAnswersShowSomething) {
    EXPECT_EQ(rightNeeded(5), 5);
    EXPECT_EQ(rightNeeded(10), 9);
    EXPECT_EQ(rightNeeded(16), 12);
    EXPECT_EQ(rightNeeded(20), 15);
    EXPECT_FALSE(rightNeeded(4).has_value()) << "one of sixteen is more than one of twenty";
    for (int trials = BlindTest::kFewest; trials <= BlindTest::kMost; ++trials) {
        ASSERT_TRUE(rightNeeded(trials).has_value());
        EXPECT_LE(chanceByGuessing(*rightNeeded(trials), trials), 0.05);
        EXPECT_GT(chanceByGuessing(*rightNeeded(trials) - 1, trials), 0.05);
    }
}

TEST(BlindTest, DrawsBothEquallyOftenAndTheSameForASeed) {
    int seconds = 0, changes = 0;
    bool before = false;
    for (std::uint64_t seed = 0; seed < 500; ++seed) {
        BlindTest test(20, seed), twin(20, seed);
        while (!test.done()) {
            EXPECT_EQ(test.xIsB(), twin.xIsB());
            seconds += test.xIsB() ? 1 : 0;
            changes += test.xIsB() != before ? 1 : 0;
            before = test.xIsB();
            test.answer(true);
            twin.answer(false);
        }
        EXPECT_EQ(test.right() + twin.right(), 20);
    }
    EXPECT_NEAR(seconds, 5000, 200) << "four standard deviations";
    EXPECT_NEAR(changes, 5000, 200);
}

TEST(BlindTest, TellsNothingBeforeItsEndAndThenWhatItShows) {
    BlindTest heard(10, 7), guessed(10, 7);
    for (int t = 0; t < 10; ++t) {
        EXPECT_EQ(heard.sentence(), "Trial " + std::to_string(t + 1) + " of 10.");
        const bool x = heard.xIsB();
        heard.answer(x);
        guessed.answer(t % 2 == 0 ? x : !x);
    }
    EXPECT_EQ(heard.right(), 10);
    EXPECT_NE(heard.sentence().find("you hear a difference"), std::string::npos);
    EXPECT_NE(heard.sentence().find("0.1 %"), std::string::npos) << heard.sentence();
    EXPECT_EQ(guessed.right(), 5);
    EXPECT_NE(guessed.sentence().find("does not show"), std::string::npos);
    heard.answer(true);
    EXPECT_EQ(heard.answered(), 10);
    EXPECT_THROW(BlindTest(4, 1), Error);
    EXPECT_THROW(BlindTest(41, 1), Error);
}

}  // namespace
}  // namespace ember
