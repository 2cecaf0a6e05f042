#include "core/dsp/gate.h"

#include "core/base/units.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

using Changes = std::vector<std::pair<std::string, double>>;
constexpr double kFloor = -40.0;

std::vector<float> level(double db, std::size_t frames) {
    std::vector<float> out(frames);
    for (std::size_t i = 0; i < frames; ++i)
        out[i] = static_cast<float>(gainFromDb(db)) * (i % 2 == 0 ? 1.0F : -1.0F);
    return out;
}

void append(std::vector<float>& to, const std::vector<float>& more) {
    to.insert(to.end(), more.begin(), more.end());
}

// The gain of a gate keyed by `key`, on a constant signal of one.
std::vector<float> gains(double rate, const Changes& changes, const std::vector<float>& key) {
    Changes all{{"floor", kFloor}, {"look-ahead", 0.0}};
    all.insert(all.end(), changes.begin(), changes.end());
    auto gate = test::make("gate", rate, all);
    return test::run(*gate, std::vector<float>(key.size(), 1.0F), key);
}

class GateAtRate : public testing::TestWithParam<double> {};

TEST_P(GateAtRate, OpensAndClosesAtItsThresholds) {
    const double rate = GetParam();
    const auto piece = static_cast<std::size_t>(0.05 * rate);
    for (const double threshold : {-50.0, -30.0, -10.0}) {
        const Changes changes{{"threshold", threshold},
                              {"hysteresis", 6.0},
                              {"attack", 0.1},
                              {"hold", 1.0},
                              {"release", 5.0}};
        EXPECT_LT(gains(rate, changes, level(threshold - 0.1, piece)).back(), 0.011F);
        EXPECT_FLOAT_EQ(gains(rate, changes, level(threshold + 0.1, piece)).back(), 1.0F);
        std::vector<float> above = level(threshold + 1.0, piece), below = above;
        append(above, level(threshold - 6.0 + 0.1, piece));
        append(below, level(threshold - 6.0 - 0.1, piece));
        EXPECT_FLOAT_EQ(gains(rate, changes, above).back(), 1.0F)
            << "must stay open above the closing threshold";
        EXPECT_LT(gains(rate, changes, below).back(), 0.011F) << "must close below it";
    }
}

TEST_P(GateAtRate, AttackHoldAndReleaseLastAsSet) {
    const double rate = GetParam();
    const double perMs = rate / 1000.0;
    for (const double attack : {0.5, 5.0, 20.0}) {
        for (const double hold : {10.0, 80.0}) {
            for (const double release : {20.0, 200.0}) {
                std::vector<float> key = level(-80.0, static_cast<std::size_t>(10 * perMs));
                const std::size_t start = key.size();
                append(key, level(-10.0, static_cast<std::size_t>(60 * perMs)));
                const std::size_t end = key.size();
                append(key, level(-80.0, static_cast<std::size_t>(400 * perMs)));
                const auto g = gains(rate,
                                     {{"threshold", -30.0},
                                      {"attack", attack},
                                      {"hold", hold},
                                      {"release", release}},
                                     key);
                std::size_t opened = start, closing = end, closed = end;
                while (opened < g.size() && g[opened] < 1.0F) ++opened;
                while (closing < g.size() && g[closing] >= 1.0F) ++closing;
                closed = closing;
                while (closed < g.size() &&
                       g[closed] > static_cast<float>(gainFromDb(kFloor)) * 1.0000001F)
                    ++closed;
                const auto within = [&](double frames, double ms) {
                    return std::abs(frames - ms * perMs) <= std::max(1.5, 0.05 * ms * perMs);
                };
                const auto off = [&](double frames, double ms) {
                    return 100.0 * std::max(0.0, std::abs(frames - ms * perMs) - 1.5) /
                           (ms * perMs);
                };
                const double worst =
                    std::max({off(static_cast<double>(opened - start + 1), attack),
                              off(static_cast<double>(closing - end), hold),
                              off(static_cast<double>(closed - closing), release)});
                test::accuracy(
                    "gate attack, hold, release, " + std::to_string(static_cast<int>(rate)) + " Hz",
                    "<= 5 %", worst, "%", worst <= 5.0);
                EXPECT_TRUE(within(static_cast<double>(opened - start + 1), attack))
                    << "attack " << attack << ": " << static_cast<double>(opened - start) / perMs;
                EXPECT_TRUE(within(static_cast<double>(closing - end), hold))
                    << "hold " << hold << ": " << static_cast<double>(closing - end) / perMs;
                EXPECT_TRUE(within(static_cast<double>(closed - closing), release))
                    << "release " << release << ": "
                    << static_cast<double>(closed - closing) / perMs;
                // Half-way along a raised cosine the gain lies half-way between floor and one.
                const std::size_t middle = start + static_cast<std::size_t>(attack * perMs / 2.0);
                EXPECT_NEAR(g[middle], 0.5 * (1.0 + gainFromDb(kFloor)), 0.08);
            }
        }
    }
}

TEST_P(GateAtRate, FloorIsExact) {
    for (const double floor : {-60.0, -20.0, -6.0, 0.0}) {
        const auto g =
            gains(GetParam(), {{"threshold", -20.0}, {"floor", floor}}, level(-60.0, 4000));
        EXPECT_NEAR(g.back(), gainFromDb(floor), 1e-6);
    }
    EXPECT_EQ(
        gains(GetParam(), {{"threshold", -20.0}, {"floor", -90.0}}, level(-60.0, 4000)).back(),
        0.0F)
        << "the lowest floor is silence";
}

TEST_P(GateAtRate, OpeningDoesNotSplatter) {
    const double rate = GetParam();
    for (const double attack : {0.5, 2.0}) {
        std::vector<float> key(static_cast<std::size_t>(0.1 * rate), 0.0F);
        const std::size_t start = key.size();
        append(key, level(-10.0, static_cast<std::size_t>(0.1 * rate)));
        auto gate = test::make(
            "gate", rate,
            {{"threshold", -30.0}, {"attack", attack}, {"floor", -90.0}, {"look-ahead", 0.0}});
        const auto out = test::run(*gate, test::sine(1000.0, 0.5, key.size(), rate), key);
        // Energy above 12 kHz within the 20 ms of the opening, against the sine's in as long a
        // time.
        const std::vector<float> piece(
            out.begin() + static_cast<std::ptrdiff_t>(start) - 1200,
            out.begin() +
                static_cast<std::ptrdiff_t>(start + static_cast<std::size_t>(0.02 * rate)));
        const double splatter = test::peakAboveDb(piece, 12000.0, rate) + 6.02;
        test::accuracy("gate opening of 0.5 ms and more: above 12 kHz against the sine, " +
                           std::to_string(static_cast<int>(rate)) + " Hz",
                       "<= -60 dB", splatter, "dB", splatter <= -60.0);
        EXPECT_LT(splatter, -60.0) << "attack " << attack;
    }
}

TEST_P(GateAtRate, LookAheadSavesTheFirstSampleOfAStroke) {
    const double rate = GetParam();
    for (const double attack : {0.5, 2.0, 5.0}) {
        std::vector<float> signal(static_cast<std::size_t>(0.05 * rate), 0.0F);
        const std::size_t start = signal.size();
        append(signal, level(-6.0, static_cast<std::size_t>(0.05 * rate)));
        auto gate = test::make(
            "gate", rate,
            {{"threshold", -30.0}, {"attack", attack}, {"look-ahead", attack}, {"floor", -60.0}});
        const auto out = test::run(*gate, signal);
        const auto at = start + static_cast<std::size_t>(gate->latency());
        EXPECT_GT(dbFromGain(static_cast<double>(std::abs(out[at]))), -6.02 - 0.1)
            << "attack " << attack;
    }
}

INSTANTIATE_TEST_SUITE_P(Rates, GateAtRate, testing::ValuesIn(test::kRates));

TEST(Gate, KeyFilterMakesItDeafToTheKick) {
    const auto kick = test::sine(60.0, 0.5, 24000, 48000.0);
    auto gate = test::make("gate", 48000.0,
                           {{"threshold", -20.0}, {"key-high-pass", 400.0}, {"floor", -60.0}});
    EXPECT_LT(test::peakDb(test::run(*gate, kick), 4000), -60.0);
}

TEST(Gate, KeyListenLetsOneHearTheKey) {
    auto gate = test::make("gate", 48000.0, {{"key-listen", 1.0}, {"look-ahead", 0.0}});
    const auto key = test::sine(500.0, 0.3, 48000, 48000.0);
    const auto out = test::run(*gate, std::vector<float>(48000, 0.0F), key);
    for (std::size_t i = 40000; i < 48000; ++i) ASSERT_NEAR(out[i], key[i], 1e-5F);
}

TEST(Gate, LiftsTheGhostNotesAndNothingElse) {
    auto gate = test::make("gate", 48000.0,
                           {{"key-source", 1.0}, {"stroke-length", 60.0}, {"ghost-lift", 6.0}});
    ASSERT_TRUE(gate->wantsStrokes());
    // A steady tone, so that what is heard is the gain: an accent, then a ghost note, then silence.
    const std::vector<float> steady(48000, 0.1F);
    BlockEvent strike;
    const auto out = test::run(*gate, steady, {}, [&](int block) {
        if (block == 300) strike.event.kind = StrokeKind::ghost;
        if (block == 100 || block == 300) gate->strike({&strike, 1});
    });
    const auto db = [&](int block) {
        return dbFromGain(static_cast<double>(out[static_cast<std::size_t>(block * kBlock)]) / 0.1);
    };
    EXPECT_NEAR(db(115), 0.0, 0.01);
    EXPECT_NEAR(db(315), 6.0, 0.01);
    EXPECT_NEAR(db(700), -20.0, 0.01);
}

TEST(Gate, WithoutALiftALevelKeyNeedsNoStrokes) {
    EXPECT_FALSE(test::make("gate", 48000.0)->wantsStrokes());
    EXPECT_TRUE(test::make("gate", 48000.0, {{"ghost-lift", 3.0}})->wantsStrokes());
}

}  // namespace
}  // namespace ember
