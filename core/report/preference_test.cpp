#include "core/report/preference_test.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/random.h"
#include "core/report/blind_test.h"

#include <algorithm>
#include <numeric>

namespace ember {
namespace {

constexpr int kHeardOften = 8;
constexpr double kByChance = 0.05;

}  // namespace

PreferenceTest::PreferenceTest(int mixes, int rounds, std::uint64_t seed) : mixes_(mixes) {
    if (mixes < 2 || mixes > kMostMixes)
        throw Error("Two to " + std::to_string(kMostMixes) +
                    " mixes can be preferred; choose so "
                    "many.");
    if (rounds < 1 || rounds > kMostRounds)
        throw Error("Every two mixes meet 1 to " + std::to_string(kMostRounds) + " times.");
    Random random(seed);
    for (int round = 0; round < rounds; ++round) {
        const auto begin = static_cast<std::ptrdiff_t>(pairs_.size());
        for (int a = 0; a < mixes; ++a) {
            for (int b = a + 1; b < mixes; ++b)
                pairs_.push_back(random.uniform() < 0.5 ? Pair{a, b} : Pair{b, a});
        }
        // Within a round, so that all meet once before any meets again.
        for (auto last = static_cast<std::ptrdiff_t>(pairs_.size()) - 1; last > begin; --last) {
            const auto other =
                begin + static_cast<std::ptrdiff_t>(random.uniform() *
                                                    static_cast<double>(last - begin + 1));
            std::swap(pairs_[static_cast<std::size_t>(last)],
                      pairs_[static_cast<std::size_t>(std::min(other, last))]);
        }
    }
}

int PreferenceTest::usualRounds(int mixes) {
    return std::clamp((kHeardOften + mixes - 2) / std::max(1, mixes - 1), 1, kMostRounds);
}

PreferenceTest::Pair PreferenceTest::pair() const {
    return pairs_[std::min(answers_.size(), pairs_.size() - 1)];
}

void PreferenceTest::answer(Answer answer) {
    if (!done()) answers_.push_back(answer);
}

std::vector<PreferenceTest::Result> PreferenceTest::results() const {
    std::vector<Result> out(static_cast<std::size_t>(mixes_));
    for (std::size_t t = 0; t < answers_.size(); ++t) {
        Result& first = out[static_cast<std::size_t>(pairs_[t].first)];
        Result& second = out[static_cast<std::size_t>(pairs_[t].second)];
        if (answers_[t] == Answer::neither) {
            ++first.neither;
            ++second.neither;
            continue;
        }
        const bool one = answers_[t] == Answer::first;
        ++(one ? first : second).better;
        ++(one ? second : first).worse;
    }
    return out;
}

std::vector<int> PreferenceTest::ranking() const {
    const std::vector<Result> found = results();
    std::vector<int> out(found.size());
    std::iota(out.begin(), out.end(), 0);
    std::stable_sort(out.begin(), out.end(), [&](int a, int b) {
        const Result &x = found[static_cast<std::size_t>(a)],
                     &y = found[static_cast<std::size_t>(b)];
        return x.better - x.worse > y.better - y.worse;
    });
    return out;
}

double PreferenceTest::chance() const {
    const Result best = results()[static_cast<std::size_t>(ranking().front())];
    return std::min(1.0, mixes_ * chanceByGuessing(best.better, best.better + best.worse));
}

std::string PreferenceTest::sentence(const std::vector<std::string>& names) const {
    if (!done())
        return "Trial " + std::to_string(answered() + 1) + " of " + std::to_string(trials()) + ".";
    const auto first = static_cast<std::size_t>(ranking().front());
    const Result best = results()[first];
    if (best.better == 0) return "None was preferred over another.";
    const double by = chance();
    return "“" + names[first] + "” was preferred in " + std::to_string(best.better) + " of " +
           std::to_string(best.better + best.worse) + " trials in which it was better or worse; " +
           "by chance one of them does as well with " + numberText(100.0 * by, by < 0.1 ? 1 : 0) +
           " %" +
           (by <= kByChance ? ": you prefer it." : ": that does not show that you prefer it.");
}

}  // namespace ember
