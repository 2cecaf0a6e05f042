// Which of several mixes is preferred, heard two at a time without being told which.
//
// Every two of them meet equally often, in an order and on sides that are drawn. Whether the one
// that is preferred most is preferred at all is judged by the binomial distribution over the trials
// in which somebody preferred one of its pair, times the number of mixes, since any of them could
// have come out so (Bonferroni).
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace ember {

// A test under way, as a value. The same seed gives the same draw.
class PreferenceTest {
  public:
    static constexpr int kMostMixes = 6, kMostRounds = 20;
    enum class Answer { first, second, neither };
    struct Pair {
        int first = 0, second = 1;  // mixes, counted from 0
        bool operator==(const Pair&) const = default;
    };
    struct Result {
        int better = 0, worse = 0, neither = 0;  // trials
        bool operator==(const Result&) const = default;
    };

    // Every two mixes meet `rounds` times. Throws Error outside 2 to kMostMixes and 1 to
    // kMostRounds.
    PreferenceTest(int mixes, int rounds, std::uint64_t seed);
    // As many rounds as it takes for every mix to be heard eight times.
    static int usualRounds(int mixes);

    [[nodiscard]] int trials() const { return static_cast<int>(pairs_.size()); }
    [[nodiscard]] int answered() const { return static_cast<int>(answers_.size()); }
    [[nodiscard]] bool done() const { return answers_.size() == pairs_.size(); }
    // What is heard in the open trial; of a test that is done: in the last.
    [[nodiscard]] Pair pair() const;
    // Does nothing once the test is done.
    void answer(Answer answer);
    // By mix.
    [[nodiscard]] std::vector<Result> results() const;
    // Mixes, those preferred most often first.
    [[nodiscard]] std::vector<int> ranking() const;
    // Chance of the first of them coming out so by guessing, 0..1.
    [[nodiscard]] double chance() const;
    // What came out, in a sentence; while it is under way, how far it is and nothing of how it
    // stands. `names` by mix.
    [[nodiscard]] std::string sentence(const std::vector<std::string>& names) const;

  private:
    int mixes_ = 2;
    std::vector<Pair> pairs_;
    std::vector<Answer> answers_;
};

}  // namespace ember
