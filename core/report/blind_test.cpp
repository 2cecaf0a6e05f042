#include "core/report/blind_test.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/random.h"

#include <algorithm>
#include <cmath>

namespace ember {

double chanceByGuessing(int right, int trials) {
    // The upper tail of the binomial distribution with p = 1/2, by logarithms of factorials.
    double sum = 0.0;
    for (int k = std::max(0, right); k <= trials; ++k)
        sum += std::exp(std::lgamma(trials + 1.0) - std::lgamma(k + 1.0) -
                        std::lgamma(trials - k + 1.0) - trials * std::log(2.0));
    return std::min(1.0, sum);
}

std::optional<int> rightNeeded(int trials, double chance) {
    for (int right = 0; right <= trials; ++right) {
        if (chanceByGuessing(right, trials) <= chance) return right;
    }
    return {};
}

BlindTest::BlindTest(int trials, std::uint64_t seed) {
    if (trials < kFewest || trials > kMost)
        throw Error("A blind test has " + std::to_string(kFewest) + " to " + std::to_string(kMost) +
                    " trials.");
    Random random(seed);
    for (int t = 0; t < trials; ++t) isB_.push_back(random.uniform() < 0.5);
}

bool BlindTest::xIsB() const {
    return isB_[std::min(saidB_.size(), isB_.size() - 1)];
}

void BlindTest::answer(bool saysB) {
    if (!done()) saidB_.push_back(saysB);
}

int BlindTest::right() const {
    int count = 0;
    for (std::size_t t = 0; t < saidB_.size(); ++t) count += saidB_[t] == isB_[t] ? 1 : 0;
    return count;
}

std::string BlindTest::sentence() const {
    if (!done())
        return "Trial " + std::to_string(answered() + 1) + " of " + std::to_string(trials()) + ".";
    const double chance = chanceByGuessing(right(), trials());
    const std::string by = numberText(100.0 * chance, chance < 0.1 ? 1 : 0) + " %";
    return std::to_string(right()) + " of " + std::to_string(trials()) +
           " right; guessing gives that or better with " + by +
           (chance <= 0.05 ? ": you hear a difference."
                           : ": that does not show that you hear a difference.");
}

}  // namespace ember
