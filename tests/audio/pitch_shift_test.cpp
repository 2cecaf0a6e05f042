#include "core/audio/pitch_shift.h"

#include "core/base/error.h"
#include "core/base/fft.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

// Frequency of the largest bin of the middle of a signal, Hz, between bins by a parabola.
double loudest(const std::vector<float>& samples, double rate) {
    RealFft fft(32768);
    const std::size_t from = samples.size() / 2 - 16384;
    for (std::size_t i = 0; i < 32768; ++i)
        fft.time()[i] = samples[from + i] *
                        static_cast<float>(0.5 - 0.5 * std::cos(2.0 * std::numbers::pi *
                                                                static_cast<double>(i) / 32768.0));
    const auto bins = fft.forward();
    std::size_t best = 1;
    for (std::size_t k = 1; k + 1 < bins.size(); ++k) {
        if (std::abs(bins[k]) > std::abs(bins[best])) best = k;
    }
    const auto db = [&](std::size_t k) {
        return std::log(static_cast<double>(std::abs(bins[k])) + 1e-12);
    };
    const double a = db(best - 1), b = db(best), c = db(best + 1);
    return (static_cast<double>(best) + 0.5 * (a - c) / (a - 2.0 * b + c)) * rate / 32768.0;
}

TEST(PitchShift, MovesEveryToneByItsSemitonesAndNothingInTime) {
    for (const double semitones : {-12.0, -5.0, 3.0, 7.0}) {
        AudioBuffer in{48000.0, {test::sine(440.0, 0.3, 96000, 48000.0)}};
        in.channels.push_back(in.channels[0]);
        const AudioBuffer out = pitchShifted(in, semitones);
        ASSERT_EQ(out.frames(), in.frames());
        EXPECT_NEAR(1200.0 * std::log2(loudest(out.channels[0], 48000.0) /
                                       (440.0 * std::pow(2.0, semitones / 12.0))),
                    0.0, 3.0)
            << "cents at " << semitones;
        EXPECT_NEAR(test::peakDb(out.channels[0], 24000, 72000), test::peakDb(in.channels[0]), 1.0);
        // What is alike on both sides stays alike.
        double apart = 0.0;
        for (std::size_t i = 0; i < out.frames(); ++i)
            apart = std::max(
                apart, std::abs(static_cast<double>(out.channels[0][i] - out.channels[1][i])));
        EXPECT_LT(apart, 1e-4);
    }
}

TEST(PitchShift, LeavesStrokesWhereTheyAre) {
    AudioBuffer in{48000.0, {std::vector<float>(96000, 0.0F)}};
    const auto burst = test::noise(0.5, 2400, 3);
    for (std::size_t i = 0; i < burst.size(); ++i)
        in.channels[0][48000 + i] = burst[i] * std::exp(-static_cast<float>(i) / 600.0F);
    for (const double semitones : {-4.0, 4.0}) {
        const auto out = pitchShifted(in, semitones).channels[0];
        std::size_t first = 0;
        const double peak = std::pow(10.0, test::peakDb(out) / 20.0);
        while (std::abs(static_cast<double>(out[first])) < 0.3 * peak) ++first;
        EXPECT_NEAR(static_cast<double>(first), 48000.0, 0.006 * 48000.0) << semitones;
    }
}

TEST(PitchShift, ByNothingIsWhatItWasAndCanBeCancelled) {
    const AudioBuffer in{48000.0, {test::noise(0.3, 48000)}};
    EXPECT_EQ(pitchShifted(in, 0.0), in);
    EXPECT_EQ(pitchShifted({48000.0, {{}}}, 4.0).frames(), 0U);
    EXPECT_THROW(pitchShifted(in, 2.0, [](double, const std::string&) { return false; }),
                 Cancelled);
}

}  // namespace
}  // namespace ember
