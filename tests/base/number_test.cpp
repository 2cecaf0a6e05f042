#include "core/base/number.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>

namespace ember {
namespace {

TEST(Number, HasATrueMinusAndNoneBeforeNothing) {
    EXPECT_EQ(numberText(-3.46, 1), "−3.5");
    EXPECT_EQ(numberText(3.46, 1), "3.5");
    EXPECT_EQ(numberText(-0.04, 1), "0.0");
    EXPECT_EQ(numberText(-0.0, 0), "0");
    EXPECT_EQ(numberText(-0.6, 0), "−1");
    EXPECT_EQ(numberText(std::nan(""), 2), "–");
}

TEST(Number, ShowsWhichWayAChangeGoes) {
    EXPECT_EQ(changeText(2.0, 1), "+2.0");
    EXPECT_EQ(changeText(-2.0, 1), "−2.0");
    // What rounds to nothing goes nowhere.
    EXPECT_EQ(changeText(0.04, 1), "0.0");
    EXPECT_EQ(changeText(-0.04, 1), "0.0");
}

TEST(Number, TellsFrequenciesAsPeopleDo) {
    EXPECT_EQ(hertzText(349.6), "350 Hz");
    EXPECT_EQ(hertzText(999.0), "999 Hz");
    EXPECT_EQ(hertzText(1000.0), "1.0 kHz");
    EXPECT_EQ(hertzText(4249.0), "4.2 kHz");
}

TEST(Number, IsPlainForMachinesWhateverTheLocale) {
    EXPECT_EQ(plainText(-3.5, 3), "-3.500");
    EXPECT_EQ(plainText(1e6, 1), "1000000.0");
    EXPECT_EQ(plainText(std::numeric_limits<double>::max(), 0).size(), 309U);
}

}  // namespace
}  // namespace ember
