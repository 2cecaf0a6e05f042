// Parts of a sound: they add up to it, and bands are as steep as they say.
#include "core/dsp/part.h"

#include "core/base/units.h"
#include "tests/support/support.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr std::size_t kFrames = 24000;

struct Sides {
    std::vector<float> left, right;
    int late = 0;
};

Sides partOf(Part::Keep keep, double rate, double lower = 150.0, double upper = 2500.0,
             bool stereo = true) {
    auto part = test::make(
        "part", rate, {{"keep", static_cast<double>(keep)}, {"lower", lower}, {"upper", upper}},
        stereo ? 2 : 1);
    Sides out{test::noise(0.3, kFrames, 5), test::noise(0.3, kFrames, 6), part->latency()};
    for (std::size_t at = 0; at < kFrames; at += kBlock) {
        AudioBlock io{{out.left.data() + at, stereo ? out.right.data() + at : nullptr},
                      stereo ? 2 : 1,
                      static_cast<int>(std::min<std::size_t>(kBlock, kFrames - at))};
        part->process(io, io);
    }
    return out;
}

// Largest difference between the sum of parts, each moved to be equally late, and the sound.
double residue(const std::vector<Part::Keep>& kept, double rate, bool stereo = true) {
    std::vector<Sides> parts;
    int late = 0;
    for (const Part::Keep keep : kept) {
        parts.push_back(partOf(keep, rate, 150.0, 2500.0, stereo));
        late = std::max(late, parts.back().late);
    }
    const std::vector<float> whole[2] = {test::noise(0.3, kFrames, 5),
                                         test::noise(0.3, kFrames, 6)};
    double worst = 0.0;
    for (int c = 0; c < (stereo ? 2 : 1); ++c) {
        for (std::size_t i = static_cast<std::size_t>(late); i < kFrames; ++i) {
            double sum = 0.0;
            for (const Sides& p : parts) {
                const std::size_t at = i - static_cast<std::size_t>(late - p.late);
                sum += static_cast<double>(c == 0 ? p.left[at] : p.right[at]);
            }
            worst = std::max(
                worst,
                std::abs(sum - static_cast<double>(whole[c][i - static_cast<std::size_t>(late)])));
        }
    }
    return dbFromGain(worst);
}

TEST(Part, PartsOfEveryKindAddUpToTheSound) {
    for (const double rate : test::kRates) {
        EXPECT_LE(residue({Part::whole}, rate), -150.0);
        EXPECT_LE(residue({Part::half, Part::half}, rate), -140.0);
        EXPECT_LE(residue({Part::left, Part::right}, rate), -140.0);
        EXPECT_LE(residue({Part::middle, Part::sides}, rate), -140.0);
        EXPECT_LE(residue({Part::lows, Part::rest}, rate), -135.0);
        EXPECT_LE(residue({Part::lows, Part::mids, Part::highs}, rate), -135.0);
        // One channel has no sides; left and right are halves of it.
        EXPECT_LE(residue({Part::left, Part::right}, rate, false), -140.0);
        EXPECT_LE(residue({Part::middle, Part::sides}, rate, false), -140.0);
    }
}

// What a sine at a frequency comes out as.
double throughDb(Part::Keep keep, double hertz, double rate) {
    auto part = test::make("part", rate, {{"keep", static_cast<double>(keep)}});
    const auto out = test::run(*part, test::sine(hertz, 0.5, 96000, rate));
    return test::peakDb(out, 48000) - dbFromGain(0.5);
}

TEST(Part, BandsFallAsTheySayAndThePictureShowsWhatIsHeard) {
    for (const double rate : test::kRates) {
        const double corner = Part::nearestCorner(150.0, rate);
        EXPECT_NEAR(corner, 150.0, 1.0);
        // -6 dB at the corner; 24 dB an octave above it for what is below, 18 the other way.
        EXPECT_NEAR(throughDb(Part::lows, corner, rate), -6.0, 0.1);
        EXPECT_NEAR(
            throughDb(Part::lows, 8.0 * corner, rate) - throughDb(Part::lows, 4.0 * corner, rate),
            -24.0, 1.0);
        EXPECT_NEAR(
            throughDb(Part::rest, corner / 8.0, rate) - throughDb(Part::rest, corner / 4.0, rate),
            -18.0, 1.0);
        double top = -100.0;
        for (double hertz = 30.0; hertz < 12000.0; hertz *= 1.3)
            top = std::max(top, throughDb(Part::rest, hertz, rate));
        EXPECT_LE(top, 0.2);
        for (const Part::Keep keep : {Part::lows, Part::rest, Part::mids, Part::highs}) {
            const auto values = [&] {
                auto v = standardValues(processorType("part").table);
                v[Part::keep] = keep;
                return v;
            }();
            for (const double hertz : {100.0, 700.0, 3000.0, 9000.0})
                EXPECT_NEAR(gainFromDb(throughDb(keep, hertz, rate)),
                            Part::gainAt(values, hertz, rate), 0.01)
                    << keep << " " << hertz << " " << rate;
        }
    }
}

TEST(Part, IsAsLateAsItsCornersAreLow) {
    // 0.45 periods of each corner that the part needs.
    const auto late = [](Part::Keep keep) {
        return test::make("part", 48000.0, {{"keep", static_cast<double>(keep)}, {"lower", 100.0}})
            ->latency();
    };
    EXPECT_EQ(late(Part::middle), 0);
    EXPECT_NEAR(late(Part::lows), 0.45 * 48000.0 / 100.0, 2.0);
    EXPECT_EQ(late(Part::lows), late(Part::rest));
    EXPECT_GT(late(Part::mids), late(Part::rest));
    EXPECT_EQ(late(Part::mids), late(Part::highs));
}

}  // namespace
}  // namespace ember
