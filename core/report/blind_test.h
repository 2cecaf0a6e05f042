// Blind tests: which of two mixes is heard, without being told.
//
// In every trial X is one of the two, drawn with equal chance. Guessing is right in half of the
// trials; what is right more often than guessing would be in one test of twenty was heard. After
// the ABX test of Munson & Gardner, JASA 22(5), 1950, judged by the binomial distribution.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace ember {

// Chance of at least `right` right answers of `trials` by guessing, 0..1. Pure.
double chanceByGuessing(int right, int trials);
// The fewest right answers of `trials` that guessing reaches with a chance of at most `chance`;
// none where even all of them would not do. Pure.
std::optional<int> rightNeeded(int trials, double chance = 0.05);

// A test under way, as a value. The same seed gives the same draw.
class BlindTest {
  public:
    static constexpr int kFewest = 5, kMost = 40;  // trials; with fewer nothing can be shown

    // Throws Error outside kFewest to kMost trials.
    BlindTest(int trials, std::uint64_t seed);

    [[nodiscard]] int trials() const { return static_cast<int>(isB_.size()); }
    [[nodiscard]] int answered() const { return static_cast<int>(saidB_.size()); }
    [[nodiscard]] bool done() const { return saidB_.size() == isB_.size(); }
    // Whether X is the second one in the trial that is open; of a test that is done: the last.
    [[nodiscard]] bool xIsB() const;
    // Does nothing once the test is done.
    void answer(bool saysB);
    [[nodiscard]] int right() const;
    // What came out, in a sentence; while it is under way, how far it is and nothing of how it
    // stands.
    [[nodiscard]] std::string sentence() const;

  private:
    std::vector<bool> isB_, saidB_;
};

}  // namespace ember
