#include "core/measure/separate/heard_drums.h"

#include <gtest/gtest.h>

#include <cmath>

namespace ember {
namespace {

constexpr int kBands = 40;
constexpr std::int64_t kWindows = 2000, kEvery = 40;

// Three drums with a microphone each, and one before all of them.
struct ThreeDrums {
    BleedModel frame;
    PowerMap powers{4, kWindows, kBands};
    std::vector<bool> own{true,  false, false, false, false, true,
                          false, false, false, false, true,  false};  // by drum and channel

    ThreeDrums() {
        frame.drums = {"kick", "snare", "tom"};
        frame.channels = {{"kick", 0}, {"snare", 0}, {"tom", 0}, {"overhead", 0}};
        std::fill(powers.values.begin(), powers.values.end(), 1e-9F);
    }
    // A stroke that falls by 4 dB a window, heard by its own microphone at 20 dB and by the other
    // close ones so much lower; `called`: the drum it is taken for (-1: nobody finds it).
    void strike(int drum, std::int64_t window, double bleedDb, int called) {
        if (called >= 0) frame.hits.push_back({called, window});
        for (int c = 0; c < 4; ++c) {
            for (std::int64_t w = window + 1; w < std::min(window + 30, kWindows); ++w) {
                const double db =
                    20.0 + (c == drum ? 0.0 : bleedDb) - 4.0 * static_cast<double>(w - window - 1);
                for (int b = 0; b < kBands; ++b)
                    powers.at(c, w)[b] += static_cast<float>(std::pow(10.0, 0.1 * db));
            }
        }
    }
    void strike(int drum, std::int64_t window, double bleedDb) {
        strike(drum, window, bleedDb, drum);
    }
    // Whether a drum is taken to be heard in a channel.
    [[nodiscard]] bool heard(std::size_t drum, std::size_t channel) const {
        return heardDrums(powers, frame, own)[drum * 4 + channel];
    }
};

constexpr double kIsolated = -200.0, kBleed = -50.0;

TEST(HeardDrums, OthersAreKeptWhereTheyAreHeardAndOnlyThere) {
    for (const double bleed : {kIsolated, kBleed}) {
        ThreeDrums kit;
        int turn = 0;
        for (std::int64_t w = 20; w + kEvery < kWindows; w += kEvery)
            kit.strike(turn++ % 3, w, bleed);
        for (std::size_t drum = 0; drum < 3; ++drum) {
            for (std::size_t channel = 0; channel < 3; ++channel)
                EXPECT_EQ(kit.heard(drum, channel), drum == channel || bleed == kBleed)
                    << drum << " in " << channel << " at " << bleed;
            EXPECT_TRUE(kit.heard(drum, 3)) << "what stands at no drum hears all";
        }
    }
}

TEST(HeardDrums, WhoIsOnlyEverStruckTogetherGoesByTheOthers) {
    // The snare falls with the kick throughout: the kick's microphone alone can tell nothing.
    for (const double bleed : {kIsolated, kBleed}) {
        ThreeDrums kit;
        for (std::int64_t w = 20; w + kEvery < kWindows; w += 2 * kEvery) {
            kit.strike(0, w, bleed);
            kit.strike(1, w, bleed);
            kit.strike(0, w + kEvery, bleed);
        }
        EXPECT_EQ(kit.heard(0, 1), bleed == kBleed) << bleed;
        EXPECT_EQ(kit.heard(1, 0), bleed == kBleed) << bleed;
    }
}

TEST(HeardDrums, StrokesTakenForAnothersOrNotFoundDoNotDecide) {
    ThreeDrums kit;
    int turn = 0;
    for (std::int64_t w = 20; w + kEvery < kWindows; w += kEvery, ++turn) {
        kit.strike(turn % 3, w, kIsolated);
        // With four of five toms falls a snare that nobody finds.
        if (turn % 3 == 2 && turn % 5 != 0) kit.strike(1, w, kIsolated, -1);
        // Every eighth kick is called a snare.
        if (turn % 24 == 0) kit.frame.hits.back().drum = 1;
    }
    EXPECT_FALSE(kit.heard(1, 0));
    EXPECT_FALSE(kit.heard(2, 1));
}

TEST(HeardDrums, TooFewStrokesDecideNothing) {
    ThreeDrums kit;
    for (int turn = 0; turn < 6; ++turn) kit.strike(turn % 3, 20 + turn * kEvery, kIsolated);
    for (std::size_t drum = 0; drum < 3; ++drum) {
        for (std::size_t channel = 0; channel < 4; ++channel) EXPECT_TRUE(kit.heard(drum, channel));
    }
}

}  // namespace
}  // namespace ember
